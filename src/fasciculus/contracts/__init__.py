"""Messages between the service and its workers: plain data, one line of JSON each."""
