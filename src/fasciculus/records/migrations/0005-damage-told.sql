-- When people were told of damage by mail.

ALTER TABLE damage ADD COLUMN told TEXT;
