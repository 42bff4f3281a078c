-- What is done to copies after they were made, what was found damaged, and the numbers people ask for.

ALTER TABLE copy ADD COLUMN manifest TEXT;
ALTER TABLE copy ADD COLUMN verified TEXT;
ALTER TABLE copy ADD COLUMN verified_deep TEXT;

CREATE TABLE upkeep (
  id INTEGER PRIMARY KEY AUTOINCREMENT, kind TEXT NOT NULL, store TEXT NOT NULL,
  subject_kind TEXT NOT NULL, subject TEXT NOT NULL, bundle TEXT NOT NULL DEFAULT '',
  options TEXT NOT NULL, state TEXT NOT NULL, outcome TEXT, sentence TEXT NOT NULL DEFAULT '',
  entries INTEGER NOT NULL DEFAULT 0, bytes INTEGER NOT NULL DEFAULT 0, result TEXT NOT NULL DEFAULT '{}',
  started_by TEXT NOT NULL, created TEXT NOT NULL, started TEXT, ended TEXT
) STRICT;
CREATE INDEX upkeep_state ON upkeep(state) WHERE state != 'ended';
CREATE INDEX upkeep_subject ON upkeep(store, subject_kind, subject, id);

CREATE TABLE damage (
  id INTEGER PRIMARY KEY AUTOINCREMENT, store_id INTEGER NOT NULL REFERENCES store ON DELETE CASCADE,
  subject_kind TEXT NOT NULL, subject TEXT NOT NULL, file TEXT NOT NULL, reason TEXT NOT NULL,
  bundles TEXT NOT NULL, files TEXT NOT NULL, harmed INTEGER NOT NULL, found TEXT NOT NULL,
  UNIQUE (store_id, subject_kind, subject, file)
) STRICT;

ALTER TABLE log_line ADD COLUMN upkeep_id INTEGER REFERENCES upkeep ON DELETE CASCADE;
CREATE INDEX log_line_upkeep ON log_line(upkeep_id, id) WHERE upkeep_id IS NOT NULL;

ALTER TABLE bundle ADD COLUMN new_bytes INTEGER NOT NULL DEFAULT 0;
UPDATE bundle SET new_bytes = coalesce((
  SELECT sum(json_extract(piece.value, '$.holds')) FROM json_each(bundle.manifest, '$.pieces') AS piece
  WHERE json_extract(piece.value, '$.brought')), 0);

ALTER TABLE task ADD COLUMN changes TEXT;

-- What a subject takes on a store: bytes of its pieces, contents in them, and those of them that no bundle
-- there needs, as far as the manifests tell. Kept up to date by records/weights.py.
CREATE TABLE weight (
  store_id INTEGER NOT NULL REFERENCES store ON DELETE CASCADE, subject_kind TEXT NOT NULL, subject TEXT NOT NULL,
  copies INTEGER NOT NULL, stored INTEGER NOT NULL, holds INTEGER NOT NULL, dead INTEGER NOT NULL,
  PRIMARY KEY (store_id, subject_kind, subject)
) STRICT, WITHOUT ROWID;
INSERT INTO weight
SELECT store_id, subject_kind, subject, 0, sum(bytes), sum(holds), sum(max(0, holds - used)) FROM (
  SELECT copy.store_id, bundle.subject_kind, bundle.subject, json_extract(piece.value, '$.name') AS name,
    max(coalesce(json_extract(piece.value, '$.bytes'), 0)) AS bytes,
    max(coalesce(json_extract(piece.value, '$.holds'), 0)) AS holds,
    max(coalesce(json_extract(piece.value, '$.used'), 0)) AS used
  FROM bundle JOIN copy ON copy.bundle_id = bundle.id, json_each(bundle.manifest, '$.pieces') AS piece
  GROUP BY 1, 2, 3, 4)
GROUP BY 1, 2, 3;
UPDATE weight SET copies = (
  SELECT count(*) FROM copy JOIN bundle ON bundle.id = copy.bundle_id WHERE copy.store_id = weight.store_id
  AND bundle.subject_kind = weight.subject_kind AND bundle.subject = weight.subject);
