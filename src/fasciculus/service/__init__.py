"""The Flask service: API, sign-in, scheduler, dispatcher, outbox, and the built console."""
