-- What is planned for coming days.
CREATE TABLE plan (
    id        INTEGER PRIMARY KEY,
    rig_id    INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    kind      TEXT NOT NULL CHECK (kind IN ('drive', 'generator', 'mains', 'guests', 'away', 'add', 'leave_off')),
    first_day TEXT NOT NULL CHECK (first_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]'),
    last_day  TEXT NOT NULL CHECK (last_day >= first_day),
    amount    REAL CHECK (amount >= 0),
    name      TEXT NOT NULL DEFAULT '' CHECK (length(name) <= 200),
    removed   INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))
) STRICT;

CREATE INDEX plan_of ON plan (rig_id, last_day);

-- The sky that was given for a day, and on which day; kept, so that it shows how far such words come true.
CREATE TABLE sky_given (
    rig_id   INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    day      TEXT NOT NULL CHECK (day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]'),
    given_on TEXT NOT NULL CHECK (given_on <= day),
    sky      TEXT NOT NULL CHECK (sky IN ('', 'clear', 'mixed', 'overcast', 'storm')),  -- '' takes the word away
    PRIMARY KEY (rig_id, day, given_on)
) STRICT, WITHOUT ROWID;
