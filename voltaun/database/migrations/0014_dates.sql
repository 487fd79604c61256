-- From which local day on a part is there (NULL: always). What is over stands in a table of its own: nothing is asked of
-- it by its figures, so each part is one document, in the words of the rig's own classes.
ALTER TABLE bank ADD COLUMN from_day TEXT CHECK (from_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]');
ALTER TABLE inverter ADD COLUMN from_day TEXT CHECK (from_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]');
ALTER TABLE solar_array ADD COLUMN from_day TEXT CHECK (from_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]');
ALTER TABLE charger ADD COLUMN from_day TEXT CHECK (from_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]');
ALTER TABLE load ADD COLUMN from_day TEXT CHECK (from_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]');

CREATE TABLE former (
    rig_id   INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    part     TEXT NOT NULL CHECK (length(part) BETWEEN 1 AND 40),
    document TEXT NOT NULL CHECK (json_valid(document)),
    PRIMARY KEY (rig_id, position)
) STRICT, WITHOUT ROWID;

-- On which weekdays a load runs, none for any, and whether only with sun to spare.
ALTER TABLE load ADD COLUMN weekdays TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(weekdays));
ALTER TABLE load ADD COLUMN in_sun INTEGER NOT NULL DEFAULT 0 CHECK (in_sun IN (0, 1));
