-- A log has an identity of its own, wherever its file is moved: what was typed on a phone for this log goes to no other.
INSERT INTO setting (name, value) VALUES ('log', lower(hex(randomblob(16))));

-- What a phone sent is known with the version that it made: whether the log changed it since tells whose word is the last.
ALTER TABLE sent ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
