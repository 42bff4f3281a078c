-- What exists on hosts, found and described in more detail.

ALTER TABLE account ADD COLUMN excludes TEXT NOT NULL DEFAULT '[]';
ALTER TABLE account ADD COLUMN gone_since TEXT;
ALTER TABLE restore ADD COLUMN mail_domains TEXT NOT NULL DEFAULT '[]';
CREATE INDEX bundle_newest ON bundle(subject_kind, subject, job, moment);
