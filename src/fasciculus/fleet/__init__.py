"""A worker on another machine: takes orders from the broker, and tells the service what happens."""
