-- Who gets entries whose recorded owner does not exist where they are restored.
ALTER TABLE restore ADD COLUMN owners TEXT NOT NULL DEFAULT '{}';

-- A store's id is 32 hexadecimal digits; what an earlier version took from a store may be anything.
UPDATE store SET mark = '' WHERE length(mark) <> 32 OR mark GLOB '*[^0-9a-f]*';

-- What a store tells of hosts, accounts and jobs, until a person accepts it.
CREATE TABLE store_proposal (
  id INTEGER PRIMARY KEY AUTOINCREMENT, store_id INTEGER NOT NULL REFERENCES store ON DELETE CASCADE,
  kind TEXT NOT NULL, name TEXT NOT NULL, host TEXT NOT NULL, vouched INTEGER NOT NULL,
  document TEXT NOT NULL, found TEXT NOT NULL, UNIQUE (store_id, kind, name)
);
