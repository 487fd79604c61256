-- What the user said of a mark; whether a monitor counted at the bank itself.
ALTER TABLE reading ADD COLUMN answer TEXT NOT NULL DEFAULT '' CHECK (answer IN ('', 'reset', 'right'));
ALTER TABLE reading ADD COLUMN at_bank INTEGER NOT NULL DEFAULT 0 CHECK (at_bank IN (0, 1));

-- What the bank holds by the log, once that was applied; and that a figure was proposed by the log.
ALTER TABLE bank ADD COLUMN logged_energy_wh REAL CHECK (logged_energy_wh > 0);
ALTER TABLE figure_origin ADD COLUMN source TEXT NOT NULL DEFAULT '' CHECK (source IN ('', 'log'));

-- Dense data of a monitor: one row a sample. Counters run on; amps and watts are positive into the bank.
CREATE TABLE sample (
    rig_id       INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    at           INTEGER NOT NULL,  -- seconds since 1970
    volts        REAL,
    amps         REAL,
    watts        REAL,
    soc          REAL CHECK (soc BETWEEN 0 AND 1),
    charge_wh    REAL CHECK (charge_wh >= 0),
    discharge_wh REAL CHECK (discharge_wh >= 0),
    PRIMARY KEY (rig_id, at)
) STRICT, WITHOUT ROWID;

-- What the samples of each hour come to, kept so that no page has to add them up.
CREATE TABLE sample_hour (
    rig_id       INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    hour         INTEGER NOT NULL,  -- its begin, seconds since 1970
    samples      INTEGER NOT NULL CHECK (samples > 0),
    seconds      REAL NOT NULL CHECK (seconds >= 0),  -- how much of it the figures cover
    charge_wh    REAL NOT NULL CHECK (charge_wh >= 0),
    discharge_wh REAL NOT NULL CHECK (discharge_wh >= 0),
    soc_first    REAL,
    soc_last     REAL,
    soc_low      REAL,
    soc_high     REAL,
    volts_first  REAL,
    PRIMARY KEY (rig_id, hour)
) STRICT, WITHOUT ROWID;

-- Small things kept for a rig: the mapping of a samples file's columns, the hours that samples become readings.
CREATE TABLE rig_setting (
    rig_id INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    name   TEXT NOT NULL,
    value  TEXT NOT NULL CHECK (json_valid(value)),
    PRIMARY KEY (rig_id, name)
) STRICT, WITHOUT ROWID;

-- A monitor that is read on demand and every so many minutes.
CREATE TABLE monitor (
    rig_id        INTEGER PRIMARY KEY REFERENCES rig (id) ON DELETE CASCADE,
    address       TEXT NOT NULL,
    every_minutes INTEGER NOT NULL CHECK (every_minutes BETWEEN 0 AND 1440),  -- 0: on demand only
    asked_at      TEXT,
    state         TEXT NOT NULL DEFAULT 'new' CHECK (state IN ('new', 'well', 'silent', 'slow', 'lying'))
) STRICT;

-- When a monitor was silent, slow or lying, and when it was well again.
CREATE TABLE monitor_mark (
    id     INTEGER PRIMARY KEY,
    rig_id INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    at     TEXT NOT NULL,
    state  TEXT NOT NULL CHECK (state IN ('well', 'silent', 'slow', 'lying')),
    words  TEXT NOT NULL
) STRICT;

CREATE INDEX monitor_mark_of ON monitor_mark (rig_id, at);
