-- What happens around a restore in place: commands as JSON, the hold page, and the run that makes a
-- bundle of the present state first.
ALTER TABLE restore ADD COLUMN commands TEXT NOT NULL DEFAULT '[]';
ALTER TABLE restore ADD COLUMN hold_page INTEGER NOT NULL DEFAULT 0;
ALTER TABLE restore ADD COLUMN bundle_first INTEGER NOT NULL DEFAULT 0;
ALTER TABLE restore ADD COLUMN after_run INTEGER NOT NULL DEFAULT 0;
