-- The tables that come back of a database, by its name, as JSON; none for all.
ALTER TABLE restore ADD COLUMN tables TEXT NOT NULL DEFAULT '{}';
