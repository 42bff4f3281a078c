-- What somebody asked of a run when it was started by hand.

ALTER TABLE run ADD COLUMN full INTEGER NOT NULL DEFAULT 0;
ALTER TABLE run ADD COLUMN compare INTEGER NOT NULL DEFAULT 0;
