-- Recoveries of lost hosts. after_restore is the last restore before it began: later ones of its
-- subjects belong to it.
CREATE TABLE recovery (
    id INTEGER PRIMARY KEY,
    host TEXT NOT NULL,
    started_by TEXT NOT NULL,
    created TEXT NOT NULL,
    ended TEXT,
    after_restore INTEGER NOT NULL
);
CREATE UNIQUE INDEX recovery_open ON recovery(host) WHERE ended IS NULL;
