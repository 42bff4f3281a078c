-- Whether chosen paths keep their kind and whole path below the target, as all did before.
ALTER TABLE restore ADD COLUMN full_layout INTEGER NOT NULL DEFAULT 1;
