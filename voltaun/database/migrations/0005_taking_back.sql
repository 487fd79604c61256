-- What came in at once, so that it can be taken back at once.
CREATE TABLE import (
    id       INTEGER PRIMARY KEY,
    rig_id   INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    at       TEXT NOT NULL,
    kind     TEXT NOT NULL CHECK (kind IN ('log', 'grid', 'samples')),
    name     TEXT NOT NULL DEFAULT '',
    rows     INTEGER NOT NULL DEFAULT 0,
    first_at INTEGER,  -- of samples, seconds since 1970
    last_at  INTEGER,
    state    TEXT NOT NULL CHECK (state IN ('under way', 'kept', 'taken back'))
) STRICT;

CREATE INDEX import_of ON import (rig_id, at);

ALTER TABLE reading ADD COLUMN import_id INTEGER;
ALTER TABLE reading_change ADD COLUMN import_id INTEGER;
ALTER TABLE sample ADD COLUMN import_id INTEGER;
CREATE INDEX reading_import ON reading (import_id) WHERE import_id IS NOT NULL;
CREATE INDEX reading_change_import ON reading_change (import_id) WHERE import_id IS NOT NULL;
CREATE INDEX reading_change_at ON reading_change (changed_at);

-- Samples that were taken out, packed, so that they can be put back.
CREATE TABLE removed_samples (
    id        INTEGER PRIMARY KEY,
    rig_id    INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    at        TEXT NOT NULL,
    removal   INTEGER NOT NULL,  -- the months of one removal have the same
    import_id INTEGER,
    first_at  INTEGER NOT NULL,
    last_at   INTEGER NOT NULL,
    rows      INTEGER NOT NULL,
    packed    BLOB NOT NULL,
    back      INTEGER NOT NULL DEFAULT 0 CHECK (back IN (0, 1))
) STRICT;

CREATE INDEX removed_samples_of ON removed_samples (rig_id, at);

-- When a plan was last kept, taken away or brought back, and a rig removed.
ALTER TABLE plan ADD COLUMN changed_at TEXT;
ALTER TABLE rig ADD COLUMN removed_at TEXT;

-- The key that signs sessions lies beside the file now; a copy given away holds no secret.
DELETE FROM setting WHERE name = 'session_key';

-- Other whenever the file's content was put in place of another: what was reckoned before it no longer holds.
INSERT OR REPLACE INTO setting (name, value) VALUES ('epoch', hex(randomblob(16)));
