"""Carrying out tasks: the queue, the runner, the workers, and the orders they get."""
