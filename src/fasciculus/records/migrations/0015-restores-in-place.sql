-- Restores in place. A restore is of a kind: restore, plan, undo or drop; the last two are of
-- another restore. What a restore has set aside is kept, undone or gone; empty for none.
ALTER TABLE restore ADD COLUMN kind TEXT NOT NULL DEFAULT 'restore';
ALTER TABLE restore ADD COLUMN of_restore INTEGER;
ALTER TABLE restore ADD COLUMN in_place TEXT;
ALTER TABLE restore ADD COLUMN side TEXT NOT NULL DEFAULT '';
ALTER TABLE restore ADD COLUMN aside TEXT NOT NULL DEFAULT '';
ALTER TABLE restore ADD COLUMN plan TEXT;
CREATE INDEX restore_aside ON restore(ended) WHERE aside = 'kept';
