-- Until when nobody can remove a copy.
ALTER TABLE copy ADD COLUMN locked_until TEXT;
