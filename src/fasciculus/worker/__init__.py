"""Carries out one order (a bundle, a restore) and emits events.

A worker never opens the records and never talks to the console: it gets a
self-contained order over a pipe and answers with events over another.
"""
