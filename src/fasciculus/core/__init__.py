"""The computation: timetable, keeping, selecting, bundling, dumping, mail settings, reporting.

Nothing here knows of Flask, Typer, httpx, sqlite3 or any other room of the package.
"""
