"""Commands of jobs and of the calendar."""
