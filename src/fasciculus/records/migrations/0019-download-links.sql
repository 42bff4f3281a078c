-- Links to one download each, for people without a sign-in. Only digests of their secrets are kept;
-- query is what is downloaded, as JSON.
CREATE TABLE download_link (
    id INTEGER PRIMARY KEY,
    hash TEXT NOT NULL UNIQUE,
    bundle_id INTEGER NOT NULL REFERENCES bundle(id) ON DELETE CASCADE,
    subject_kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    query TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT '',
    created TEXT NOT NULL,
    created_by TEXT NOT NULL,
    expires TEXT NOT NULL,
    uses INTEGER NOT NULL,
    used INTEGER NOT NULL DEFAULT 0,
    resumed INTEGER NOT NULL DEFAULT 0,
    last_used TEXT
);
