-- Readings that were typed out of reach and sent later, by the mark that the device gave each: one that is sent twice, since
-- the answer to the first was lost on the way, is kept once.
CREATE TABLE sent (
    mark       TEXT PRIMARY KEY CHECK (length(mark) = 36),
    reading_id INTEGER NOT NULL REFERENCES reading (id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
