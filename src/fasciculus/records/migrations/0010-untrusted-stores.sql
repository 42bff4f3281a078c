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

-- A bundle with far more changes than usual, until somebody has looked: copies from before stay.
CREATE TABLE change_alarm (
  id INTEGER PRIMARY KEY AUTOINCREMENT, bundle TEXT NOT NULL,
  bundle_id INTEGER NOT NULL, moment TEXT NOT NULL,
  subject_kind TEXT NOT NULL, subject TEXT NOT NULL, job TEXT NOT NULL, words TEXT NOT NULL,
  opened TEXT NOT NULL, acknowledged TEXT
);
CREATE INDEX change_alarm_open ON change_alarm(subject_kind, subject) WHERE acknowledged IS NULL;

-- When a store took a copy of a task, or did not.
ALTER TABLE task_copy ADD COLUMN at TEXT NOT NULL DEFAULT '';
