-- What the day's plan needs of a load and no more: every how many days it runs, when it would be started without a plan.
ALTER TABLE load ADD COLUMN every_days INTEGER NOT NULL DEFAULT 1 CHECK (every_days BETWEEN 1 AND 30);
ALTER TABLE load ADD COLUMN usual_start REAL CHECK (usual_start BETWEEN 0 AND 23.99);

-- What to do with sun that finds the bank full, in the order wanted.
CREATE TABLE spill_list (
    rig_id   INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name     TEXT NOT NULL,
    watts    REAL NOT NULL CHECK (watts BETWEEN 1 AND 1000000),
    wh       REAL NOT NULL CHECK (wh BETWEEN 1 AND 10000000),
    PRIMARY KEY (rig_id, position)
) STRICT, WITHOUT ROWID;

-- What of the day's plan was done, by the name of the load.
CREATE TABLE done (
    rig_id INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    day    TEXT NOT NULL CHECK (day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]'),
    name   TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 80),
    PRIMARY KEY (rig_id, day, name)
) STRICT, WITHOUT ROWID;

-- Where a hand moved or dropped a load of a day's plan: the clock hour at which it begins, or none at all.
CREATE TABLE moved (
    rig_id INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    day    TEXT NOT NULL CHECK (day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]'),
    name   TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 80),
    begin  REAL CHECK (begin >= 0 AND begin < 24),
    PRIMARY KEY (rig_id, day, name)
) STRICT, WITHOUT ROWID;
