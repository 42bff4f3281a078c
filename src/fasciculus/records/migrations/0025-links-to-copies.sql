-- A link to the files of a bundle, for another installation, instead of a download.
ALTER TABLE download_link ADD COLUMN as_copy INTEGER NOT NULL DEFAULT 0;
