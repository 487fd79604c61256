-- What made a clear-sky table; one that something else made is made again when it is wanted.
ALTER TABLE clear_sky ADD COLUMN made_by TEXT NOT NULL DEFAULT '';
