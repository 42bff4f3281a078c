-- What an account is marked with, so that jobs can choose it by that: a JSON list of names.
ALTER TABLE account ADD COLUMN tags TEXT NOT NULL DEFAULT '[]';
