"""The Heronmere scenario, and the stand-ins for the servers that it talks to."""
