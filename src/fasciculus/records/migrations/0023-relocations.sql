-- Where a restore puts things instead of where they were, as JSON.
ALTER TABLE restore ADD COLUMN relocation TEXT;
