-- Whether a restore brings back set-user-id bits and the like of a copy that the records do not know.
ALTER TABLE restore ADD COLUMN privileges INTEGER NOT NULL DEFAULT 0;
-- Whether it goes on where an interrupted one was.
ALTER TABLE restore ADD COLUMN resume INTEGER NOT NULL DEFAULT 0;
-- From where somebody has signed in.
CREATE INDEX audit_who ON audit (who, action);
