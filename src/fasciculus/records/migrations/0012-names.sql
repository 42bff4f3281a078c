-- Settings and columns under the names that they have everywhere since.

UPDATE store SET document = json_remove(
  json_set(document, '$.reserve', json_extract(document, '$.floor')), '$.floor')
  WHERE json_type(document, '$.floor') IS NOT NULL;
UPDATE store SET document = json_remove(
  json_set(document, '$.stall_timeout', json_extract(document, '$.patience')), '$.patience')
  WHERE json_type(document, '$.patience') IS NOT NULL;
UPDATE store SET document = json_remove(
  json_set(document, '$.max_concurrent', json_extract(document, '$.at_once')), '$.at_once')
  WHERE json_type(document, '$.at_once') IS NOT NULL;

UPDATE host SET document = json_remove(
  json_set(document, '$.max_concurrent', json_extract(document, '$.at_once')), '$.at_once')
  WHERE json_type(document, '$.at_once') IS NOT NULL;
UPDATE host SET document = json_remove(
  json_set(document, '$.discovery', json_extract(document, '$.finding')), '$.finding')
  WHERE json_type(document, '$.finding') IS NOT NULL;

UPDATE job SET document = json_remove(
  json_set(document, '$.max_copy_age', json_extract(document, '$.promise')), '$.promise')
  WHERE json_type(document, '$.promise') IS NOT NULL;
UPDATE job SET document = json_remove(
  json_set(document, '$.max_unused_percent', json_extract(document, '$.dead_share')), '$.dead_share')
  WHERE json_type(document, '$.dead_share') IS NOT NULL;

UPDATE setting SET value = json_remove(
  json_set(value, '$.fallback_channel', json_extract(value, '$.second_way')), '$.second_way')
  WHERE key = 'mail' AND json_type(value, '$.second_way') IS NOT NULL;
UPDATE setting SET key = 'discovery.unmatched' WHERE key = 'finding.unmatched';
UPDATE setting SET key = 'discovery.hidden' WHERE key = 'finding.hidden';

UPDATE bundle SET manifest = json_remove(
  json_set(manifest, '$.unused_share', json_extract(manifest, '$.dead_share')), '$.dead_share')
  WHERE json_type(manifest, '$.dead_share') IS NOT NULL;
UPDATE copy SET manifest = json_remove(
  json_set(manifest, '$.unused_share', json_extract(manifest, '$.dead_share')), '$.dead_share')
  WHERE json_type(manifest, '$.dead_share') IS NOT NULL;
UPDATE maintenance SET result = json_remove(
  json_set(result, '$.unused', json_extract(result, '$.dead')), '$.dead')
  WHERE json_type(result, '$.dead') IS NOT NULL;
UPDATE maintenance SET kind = 'repair' WHERE kind = 'mend';
UPDATE alert SET link = replace(link, '/finding', '/discovery') WHERE link LIKE '/hosts/%/finding';

ALTER TABLE usage RENAME COLUMN dead TO unused;
ALTER TABLE restore RENAME COLUMN privileges TO special_modes;
