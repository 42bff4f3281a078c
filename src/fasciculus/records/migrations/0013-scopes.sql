-- The accounts that a person may see, as a JSON list of names; NULL is everything.
ALTER TABLE person ADD COLUMN accounts TEXT;
