"""The parts that are the same in dumps of every SQL database."""
