-- Only these addresses of the mail domains, as JSON; none for all.
ALTER TABLE restore ADD COLUMN mailboxes TEXT NOT NULL DEFAULT '[]';
