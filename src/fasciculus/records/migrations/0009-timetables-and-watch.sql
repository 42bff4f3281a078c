-- The most copies of a subject that a job's keep rule may want on a store, as far as it counts.
ALTER TABLE job_store ADD COLUMN bound INTEGER NOT NULL DEFAULT 1;
UPDATE job_store SET bound = (
  SELECT coalesce(json_extract(document, '$.keep'), 7) FROM job WHERE job.id = job_id
);

-- A run of its own name, kept for so many days whatever the keep rule says.
ALTER TABLE run ADD COLUMN label TEXT NOT NULL DEFAULT '';
ALTER TABLE run ADD COLUMN keep_days INTEGER NOT NULL DEFAULT 0;
ALTER TABLE run ADD COLUMN pin_until TEXT;
-- By what time it must have ended.
ALTER TABLE run ADD COLUMN deadline TEXT;
-- Within what time a task may begin, and how often it was begun.
ALTER TABLE task ADD COLUMN not_before TEXT;
ALTER TABLE task ADD COLUMN not_after TEXT;
ALTER TABLE task ADD COLUMN attempts INTEGER NOT NULL DEFAULT 0;
CREATE INDEX run_ended ON run(job, ended) WHERE state = 'ended';

ALTER TABLE bundle ADD COLUMN label TEXT NOT NULL DEFAULT '';
ALTER TABLE bundle ADD COLUMN pin_reason TEXT NOT NULL DEFAULT '';
ALTER TABLE bundle ADD COLUMN pinned_until TEXT;

-- Jobs that start nothing by themselves for a while; the one without a name is for all.
CREATE TABLE pause (
  job TEXT PRIMARY KEY, until TEXT, reason TEXT NOT NULL, who TEXT NOT NULL, since TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- The secret address at which a job is started from outside; only its digest is kept.
CREATE TABLE start_address (
  job_id INTEGER PRIMARY KEY REFERENCES job ON DELETE CASCADE, hash TEXT NOT NULL UNIQUE,
  networks TEXT NOT NULL DEFAULT '[]', per_hour INTEGER NOT NULL, enabled INTEGER NOT NULL,
  made TEXT NOT NULL, used TEXT
) STRICT;

-- What was changed in settings, with what they were before; without secrets.
CREATE TABLE change (
  id INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, who TEXT NOT NULL, kind TEXT NOT NULL,
  name TEXT NOT NULL, before TEXT, after TEXT
) STRICT;
CREATE INDEX change_name ON change(kind, name, id);

-- Where reports go besides mail addresses.
CREATE TABLE channel (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, document TEXT NOT NULL, secrets TEXT
) STRICT;
-- A report to a channel instead of to addresses; where it went when the first way failed.
ALTER TABLE report ADD COLUMN channel TEXT NOT NULL DEFAULT '';
ALTER TABLE report ADD COLUMN kind TEXT NOT NULL DEFAULT 'run';
ALTER TABLE report ADD COLUMN instead_of INTEGER;
CREATE INDEX report_run ON report(run_id);

-- What the watch found: open until it is over.
CREATE TABLE alert (
  id INTEGER PRIMARY KEY AUTOINCREMENT, key TEXT NOT NULL, check_name TEXT NOT NULL,
  level TEXT NOT NULL, job TEXT NOT NULL DEFAULT '', about TEXT NOT NULL, text TEXT NOT NULL,
  link TEXT NOT NULL, opened TEXT NOT NULL, closed TEXT, told TEXT, told_closed TEXT,
  acknowledged TEXT, acknowledged_by TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX alert_open ON alert(key) WHERE closed IS NULL;
CREATE INDEX alert_closed ON alert(closed);
CREATE INDEX alert_untold ON alert(id) WHERE closed IS NOT NULL AND told IS NOT NULL
  AND told_closed IS NULL;

CREATE INDEX task_copy_store ON task_copy(store, task_id);

-- The certificates that stores and the mail server show, and when they end.
CREATE TABLE certificate (
  place TEXT PRIMARY KEY, ends TEXT NOT NULL, looked TEXT NOT NULL
) STRICT, WITHOUT ROWID;

ALTER TABLE account ADD COLUMN contact TEXT NOT NULL DEFAULT '';
