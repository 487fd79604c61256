-- Weather files of a rig's place, by the hour: what they are, and their irradiance packed as text.
CREATE TABLE weather (
    id           INTEGER PRIMARY KEY,
    rig_id       INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    name         TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
    kind         TEXT NOT NULL CHECK (length(kind) <= 20),
    latitude     REAL NOT NULL CHECK (latitude BETWEEN -90 AND 90),
    longitude    REAL NOT NULL CHECK (longitude BETWEEN -180 AND 180),
    elevation_m  REAL NOT NULL,
    utc_offset_h REAL NOT NULL CHECK (utc_offset_h BETWEEN -14 AND 14),
    first_day    TEXT NOT NULL CHECK (first_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]'),
    hours        INTEGER NOT NULL CHECK (hours >= 8736),
    typical      INTEGER NOT NULL CHECK (typical IN (0, 1)),
    packed       TEXT NOT NULL,
    removed      INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))
) STRICT;

CREATE INDEX weather_of ON weather (rig_id);
