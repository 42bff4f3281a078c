"""Shapes of jobs: their settings, timetables, plans and starts."""
