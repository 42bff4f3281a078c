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

-- How hosts and stores are reached is an object of its own, whose fields depend on its kind; "place"
-- describes it for lists.
UPDATE host SET document = json_remove(
  json_set(
    document,
    '$.connection', CASE json_extract(document, '$.kind')
      WHEN 'ssh' THEN json_object(
        'kind', 'ssh', 'address', json_extract(document, '$.address'),
        'port', json_extract(document, '$.port'), 'user', json_extract(document, '$.user'),
        'host_key', json_extract(document, '$.host_key'))
      ELSE json_object('kind', 'local') END,
    '$.servers', CASE json_type(document, '$.mariadb')
      WHEN 'object' THEN json_array(
        json_patch(json_object('kind', 'mariadb'), json_extract(document, '$.mariadb')))
      ELSE json('[]') END,
    '$.at_once', CASE
      WHEN json_extract(document, '$.at_once') = 1 THEN 0
      ELSE json_extract(document, '$.at_once') END),
  '$.kind', '$.address', '$.port', '$.user', '$.host_key', '$.mariadb');
ALTER TABLE host ADD COLUMN place TEXT NOT NULL DEFAULT '';
UPDATE host SET place = CASE json_extract(document, '$.connection.kind')
  WHEN 'local' THEN 'this machine'
  ELSE 'ssh ' || json_extract(document, '$.connection.user') || '@'
    || json_extract(document, '$.connection.address') END;

UPDATE store SET document = json_object(
  'name', name, 'verify_days', coalesce(json_extract(document, '$.verify_days'), 30),
  'settings', CASE kind
    WHEN 'folder' THEN json_object('kind', 'folder', 'folder', json_extract(document, '$.path'))
    ELSE json_object(
      'kind', 'sftp', 'address', json_extract(document, '$.address'),
      'port', json_extract(document, '$.port'), 'user', json_extract(document, '$.user'),
      'folder', json_extract(document, '$.folder'),
      'host_key', json_extract(document, '$.host_key')) END);
ALTER TABLE store ADD COLUMN place TEXT NOT NULL DEFAULT '';
UPDATE store SET place = CASE kind
  WHEN 'folder' THEN json_extract(document, '$.settings.folder')
  ELSE 'sftp ' || json_extract(document, '$.settings.user') || '@'
    || json_extract(document, '$.settings.address') || ':'
    || json_extract(document, '$.settings.folder') END;
