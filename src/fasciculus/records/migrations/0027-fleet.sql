-- Workers on other machines, codes to enrol one, and the tasks that they have under way.
CREATE TABLE worker (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    queue TEXT NOT NULL,
    recipient TEXT NOT NULL,
    key TEXT NOT NULL,
    version TEXT NOT NULL,
    place TEXT NOT NULL DEFAULT '',
    slots INTEGER NOT NULL DEFAULT 1,
    drains INTEGER NOT NULL DEFAULT 0,
    enrolled TEXT NOT NULL,
    last_seen TEXT
);
CREATE TABLE worker_code (
    id TEXT PRIMARY KEY,
    secret TEXT NOT NULL,
    queue TEXT NOT NULL,
    expires TEXT NOT NULL
);
CREATE TABLE lease (
    id TEXT PRIMARY KEY,
    worker TEXT NOT NULL,
    subject_kind TEXT NOT NULL,
    subject TEXT NOT NULL
);
