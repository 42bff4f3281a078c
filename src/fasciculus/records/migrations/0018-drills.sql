-- What a drill has compared, as JSON.
ALTER TABLE restore ADD COLUMN drill TEXT;
CREATE INDEX restore_drill ON restore(subject_kind, subject, id) WHERE kind = 'drill';
