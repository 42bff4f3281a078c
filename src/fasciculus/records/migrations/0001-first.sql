-- Moments are ISO 8601 text in UTC with a zone mark, so that they sort as text.
-- Secrets are sealed (encrypted) with a key that is not in here.

CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;

CREATE TABLE person (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, password TEXT NOT NULL,
  must_change INTEGER NOT NULL DEFAULT 0, created TEXT NOT NULL
) STRICT;
CREATE TABLE session (
  hash TEXT PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES person ON DELETE CASCADE,
  csrf TEXT NOT NULL, created TEXT NOT NULL, expires TEXT NOT NULL
) STRICT;
CREATE TABLE token (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, hash TEXT NOT NULL UNIQUE,
  person_id INTEGER NOT NULL REFERENCES person ON DELETE CASCADE,
  created TEXT NOT NULL, last_used TEXT
) STRICT;
CREATE TABLE audit (
  id INTEGER PRIMARY KEY, at TEXT NOT NULL, who TEXT NOT NULL, action TEXT NOT NULL,
  about TEXT NOT NULL
) STRICT;

CREATE TABLE host (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, document TEXT NOT NULL, secrets TEXT
) STRICT;
CREATE TABLE account (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE,
  host_id INTEGER NOT NULL REFERENCES host, home TEXT NOT NULL
) STRICT;
CREATE INDEX account_host ON account(host_id);
CREATE TABLE site (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE,
  account_id INTEGER NOT NULL REFERENCES account ON DELETE CASCADE, root TEXT NOT NULL
) STRICT;
CREATE INDEX site_account ON site(account_id);
CREATE TABLE database (
  id INTEGER PRIMARY KEY, account_id INTEGER NOT NULL REFERENCES account ON DELETE CASCADE,
  engine TEXT NOT NULL, name TEXT NOT NULL, path TEXT NOT NULL, site TEXT,
  UNIQUE (account_id, engine, name)
) STRICT;
CREATE TABLE mail_domain (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE,
  account_id INTEGER NOT NULL REFERENCES account ON DELETE CASCADE
) STRICT;
CREATE INDEX mail_domain_account ON mail_domain(account_id);

CREATE TABLE store (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL,
  document TEXT NOT NULL, secrets TEXT, mark TEXT NOT NULL
) STRICT;

CREATE TABLE job (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, document TEXT NOT NULL,
  enabled INTEGER NOT NULL, created TEXT NOT NULL
) STRICT;
CREATE TABLE job_store (
  job_id INTEGER NOT NULL REFERENCES job ON DELETE CASCADE,
  store_id INTEGER NOT NULL REFERENCES store, position INTEGER NOT NULL,
  PRIMARY KEY (job_id, store_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE run (
  id INTEGER PRIMARY KEY AUTOINCREMENT, job TEXT NOT NULL, zone TEXT NOT NULL,
  report_to TEXT NOT NULL, report_when TEXT NOT NULL,
  started_by TEXT NOT NULL, state TEXT NOT NULL, outcome TEXT,
  created TEXT NOT NULL, started TEXT, ended TEXT, sentence TEXT NOT NULL DEFAULT '',
  idempotency_key TEXT UNIQUE
) STRICT;
CREATE INDEX run_job ON run(job, id);
CREATE INDEX run_state ON run(state) WHERE state != 'ended';
CREATE TABLE task (
  id INTEGER PRIMARY KEY AUTOINCREMENT, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE,
  subject_kind TEXT NOT NULL, subject TEXT NOT NULL, state TEXT NOT NULL, outcome TEXT,
  error TEXT NOT NULL DEFAULT '', bundle TEXT NOT NULL DEFAULT '',
  entries INTEGER NOT NULL DEFAULT 0, bytes INTEGER NOT NULL DEFAULT 0,
  packed INTEGER NOT NULL DEFAULT 0, started TEXT, ended TEXT,
  warnings TEXT NOT NULL DEFAULT '[]'
) STRICT;
CREATE INDEX task_run ON task(run_id);
CREATE INDEX task_subject ON task(subject_kind, subject, id);
CREATE TABLE task_copy (
  task_id INTEGER NOT NULL REFERENCES task ON DELETE CASCADE, store TEXT NOT NULL,
  error TEXT NOT NULL DEFAULT '', kept INTEGER NOT NULL DEFAULT 0,
  retired INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (task_id, store)
) STRICT, WITHOUT ROWID;

CREATE TABLE bundle (
  id INTEGER PRIMARY KEY AUTOINCREMENT, subject_kind TEXT NOT NULL, subject TEXT NOT NULL,
  name TEXT NOT NULL, job TEXT NOT NULL, host TEXT NOT NULL, run_id INTEGER,
  moment TEXT NOT NULL, entries INTEGER NOT NULL, bytes INTEGER NOT NULL,
  packed INTEGER NOT NULL, outcome TEXT NOT NULL, pinned INTEGER NOT NULL DEFAULT 0,
  manifest TEXT NOT NULL, UNIQUE (subject_kind, subject, name)
) STRICT;
CREATE INDEX bundle_moment ON bundle(moment, id);
CREATE INDEX bundle_subject ON bundle(subject_kind, subject, moment);
CREATE TABLE copy (
  bundle_id INTEGER NOT NULL REFERENCES bundle ON DELETE CASCADE,
  store_id INTEGER NOT NULL REFERENCES store ON DELETE CASCADE, made TEXT NOT NULL,
  PRIMARY KEY (bundle_id, store_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX copy_store ON copy(store_id);

CREATE TABLE restore (
  id INTEGER PRIMARY KEY AUTOINCREMENT, bundle_id INTEGER, bundle TEXT NOT NULL,
  subject_kind TEXT NOT NULL, subject TEXT NOT NULL, store TEXT NOT NULL, target TEXT NOT NULL,
  contents TEXT NOT NULL, paths TEXT NOT NULL, databases TEXT NOT NULL,
  state TEXT NOT NULL, outcome TEXT, error TEXT NOT NULL DEFAULT '',
  entries INTEGER NOT NULL DEFAULT 0, bytes INTEGER NOT NULL DEFAULT 0,
  started_by TEXT NOT NULL, created TEXT NOT NULL, started TEXT, ended TEXT,
  idempotency_key TEXT UNIQUE
) STRICT;

CREATE TABLE log_line (
  id INTEGER PRIMARY KEY AUTOINCREMENT, run_id INTEGER REFERENCES run ON DELETE CASCADE,
  restore_id INTEGER REFERENCES restore ON DELETE CASCADE, subject TEXT NOT NULL DEFAULT '',
  at TEXT NOT NULL, level TEXT NOT NULL, text TEXT NOT NULL
) STRICT;
CREATE INDEX log_line_run ON log_line(run_id, id);
CREATE INDEX log_line_restore ON log_line(restore_id, id);

CREATE TABLE report (
  id INTEGER PRIMARY KEY AUTOINCREMENT, run_id INTEGER, job TEXT NOT NULL, at TEXT NOT NULL,
  title TEXT NOT NULL, recipients TEXT NOT NULL, text TEXT NOT NULL, html TEXT NOT NULL,
  message BLOB NOT NULL, state TEXT NOT NULL, attempts INTEGER NOT NULL DEFAULT 0,
  next_try TEXT, last_error TEXT NOT NULL DEFAULT '', sent TEXT
) STRICT;
CREATE INDEX report_waiting ON report(next_try) WHERE state = 'waiting';
