-- Who gets entries whose recorded owner does not exist where they are restored.
ALTER TABLE restore ADD COLUMN owners TEXT NOT NULL DEFAULT '{}';
