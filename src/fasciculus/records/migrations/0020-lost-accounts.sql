-- Whether a restore in place brings a whole account back: its user, mail and system settings too,
-- and where its sites are asked for then.
ALTER TABLE restore ADD COLUMN whole_account INTEGER NOT NULL DEFAULT 0;
ALTER TABLE restore ADD COLUMN web_address TEXT NOT NULL DEFAULT '';
