-- When a store was last seen to work, and what it has free; what went to and from it each day.
ALTER TABLE store ADD COLUMN tried TEXT;
UPDATE store SET tried = strftime('%Y-%m-%dT%H:%M:%f', 'now') || '+00:00';
ALTER TABLE store ADD COLUMN free INTEGER;
ALTER TABLE store ADD COLUMN free_at TEXT;
-- Days are those of UTC; "stored" is what its pieces took when that was last counted on that day.
CREATE TABLE store_day (
  store_id INTEGER NOT NULL REFERENCES store ON DELETE CASCADE, day TEXT NOT NULL,
  sent INTEGER NOT NULL DEFAULT 0, received INTEGER NOT NULL DEFAULT 0, stored INTEGER,
  PRIMARY KEY (store_id, day)
) STRICT, WITHOUT ROWID;
-- Bundles that were brought to a store from another one.
CREATE TABLE transfer (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  store_id INTEGER NOT NULL REFERENCES store ON DELETE CASCADE, source TEXT NOT NULL,
  subject_kind TEXT NOT NULL, subject TEXT NOT NULL, bundle TEXT NOT NULL,
  bytes INTEGER NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE INDEX transfer_store ON transfer(store_id, at);
-- Whose a store is that this service may only read; empty for its own.
ALTER TABLE store ADD COLUMN owner TEXT NOT NULL DEFAULT '';
-- Whether this service made the copy itself: what a store alone tells of one is not vouched for.
ALTER TABLE copy ADD COLUMN vouched INTEGER NOT NULL DEFAULT 1;
-- Private keys that are kept here, encrypted, to open what is sealed to their public ones.
CREATE TABLE seal_key (
  recipient TEXT PRIMARY KEY, identity TEXT NOT NULL, note TEXT NOT NULL, added TEXT NOT NULL
) STRICT, WITHOUT ROWID;
-- A private key that was given for one restore, encrypted, until that has ended.
ALTER TABLE restore ADD COLUMN identity TEXT;
