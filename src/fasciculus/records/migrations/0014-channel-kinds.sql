-- A channel has the settings of its kind; the form of its payload was one of its fields.
UPDATE channel SET document = json_object(
  'name', name,
  'settings', json(CASE
    WHEN json_extract(document, '$.form') IN ('text', 'content')
    THEN json_object('kind', 'chat', 'field', json_extract(document, '$.form'))
    ELSE json_object('kind', 'webhook', 'template', CASE json_extract(document, '$.form')
      WHEN 'template' THEN coalesce(json_extract(document, '$.template'), '') ELSE '' END)
  END)
) WHERE json_valid(document) AND json_type(document, '$.settings') IS NULL;
