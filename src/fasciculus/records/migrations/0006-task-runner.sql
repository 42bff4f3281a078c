-- Maintenance goes through the task runner, under its own name.

ALTER TABLE upkeep RENAME TO maintenance;
ALTER TABLE log_line RENAME COLUMN upkeep_id TO maintenance_id;
DROP INDEX upkeep_state;
DROP INDEX upkeep_subject;
DROP INDEX log_line_upkeep;
CREATE INDEX maintenance_state ON maintenance(state) WHERE state != 'ended';
CREATE INDEX maintenance_subject ON maintenance(store, subject_kind, subject, id);
CREATE INDEX log_line_maintenance ON log_line(maintenance_id, id) WHERE maintenance_id IS NOT NULL;

-- The usage of a store by a subject; "weight" was a word of our own.
ALTER TABLE weight RENAME TO usage;
