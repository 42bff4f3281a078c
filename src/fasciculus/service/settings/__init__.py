"""Settings as the records have them: of kinds, of the mail server, of the watch."""
