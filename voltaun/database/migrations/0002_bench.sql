-- A station's limits and expansion packs; portable arrays and controllers in A; what an engine's input gives;
-- a generator's own limit and its fuel's price; mains that the bank is carried to.
ALTER TABLE bank ADD COLUMN pack_wh TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(pack_wh));
ALTER TABLE bank ADD COLUMN charge_limit_w REAL CHECK (charge_limit_w > 0);
ALTER TABLE bank ADD COLUMN solar_input_w REAL CHECK (solar_input_w > 0);
ALTER TABLE solar_array ADD COLUMN controller_limit_a REAL CHECK (controller_limit_a > 0);
ALTER TABLE solar_array ADD COLUMN aimed_per_day INTEGER NOT NULL DEFAULT 0 CHECK (aimed_per_day BETWEEN 0 AND 12);
ALTER TABLE solar_array ADD COLUMN hours_out REAL CHECK (hours_out > 0 AND hours_out <= 24);
ALTER TABLE charger ADD COLUMN input_v REAL CHECK (input_v > 0);
ALTER TABLE charger ADD COLUMN input_a REAL CHECK (input_a > 0);
ALTER TABLE charger ADD COLUMN spare_alternator_w REAL CHECK (spare_alternator_w > 0);
ALTER TABLE charger ADD COLUMN converter_efficiency REAL CHECK (converter_efficiency > 0 AND converter_efficiency <= 1);
ALTER TABLE charger ADD COLUMN cut_off_v REAL CHECK (cut_off_v > 0);
ALTER TABLE charger ADD COLUMN continuous_w REAL CHECK (continuous_w > 0);
ALTER TABLE charger ADD COLUMN fuel_price REAL CHECK (fuel_price >= 0);
ALTER TABLE charger ADD COLUMN carried INTEGER NOT NULL DEFAULT 0 CHECK (carried IN (0, 1));

-- Where a rig that moves stood, from which local day on.
CREATE TABLE stay (
    rig_id       INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    from_day     TEXT NOT NULL CHECK (from_day GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]'),
    name         TEXT NOT NULL,
    latitude     REAL NOT NULL CHECK (latitude BETWEEN -90 AND 90),
    longitude    REAL NOT NULL CHECK (longitude BETWEEN -180 AND 180),
    elevation_m  REAL NOT NULL,
    shade_factor REAL NOT NULL CHECK (shade_factor BETWEEN 0 AND 1),
    PRIMARY KEY (rig_id, from_day)
) STRICT, WITHOUT ROWID;

-- The percent of each pack, where a bank has several that show their own.
ALTER TABLE reading ADD COLUMN pack_socs TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(pack_socs));

-- The tables are made again when they are wanted: an aimed plane has two figures more.
DROP TABLE clear_sky;
CREATE TABLE clear_sky (
    latitude      REAL NOT NULL,
    longitude     REAL NOT NULL,
    elevation_m   REAL NOT NULL,
    tilt_deg      REAL NOT NULL,
    azimuth_deg   REAL NOT NULL,
    aimed_per_day INTEGER NOT NULL,
    hours_out     REAL NOT NULL,
    wh_per_m2     BLOB NOT NULL CHECK (length(wh_per_m2) = 70080),
    PRIMARY KEY (latitude, longitude, elevation_m, tilt_deg, azimuth_deg, aimed_per_day, hours_out)
) STRICT, WITHOUT ROWID;

-- Each saving of a rig, with the whole of it as it was before, so that it can be taken back.
CREATE TABLE rig_change (
    id         INTEGER PRIMARY KEY,
    rig_id     INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    changed_at TEXT NOT NULL,
    version    INTEGER NOT NULL,  -- the rig's, once changed
    before     TEXT NOT NULL CHECK (json_valid(before))
) STRICT;

CREATE INDEX rig_change_of ON rig_change (rig_id);

-- Where a figure of the rig came from: typed, or found by a run on the bench.
CREATE TABLE figure_origin (
    rig_id INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    path   TEXT NOT NULL CHECK (json_valid(path)),
    value  TEXT NOT NULL CHECK (json_valid(value)),
    at     TEXT NOT NULL,
    run_id INTEGER REFERENCES bench_run (id) ON DELETE SET NULL,
    PRIMARY KEY (rig_id, path)
) STRICT, WITHOUT ROWID;

-- One use of an instrument on the bench.
CREATE TABLE bench_run (
    id              INTEGER PRIMARY KEY,
    rig_id          INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    instrument      TEXT NOT NULL CHECK (instrument IN ('meter', 'drawdown', 'capacity', 'inverter', 'harvest', 'label')),
    subject         TEXT NOT NULL DEFAULT '',
    side            TEXT NOT NULL CHECK (side IN ('ac', 'dc')),
    begun_at        TEXT NOT NULL,
    state           TEXT NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'abandoned')),
    warm            INTEGER NOT NULL DEFAULT 0 CHECK (warm IN (0, 1)),
    conditions      TEXT NOT NULL DEFAULT '' CHECK (length(conditions) <= 500),
    leave_out_hours REAL NOT NULL DEFAULT 0 CHECK (leave_out_hours >= 0),
    cut_off         INTEGER NOT NULL DEFAULT 0 CHECK (cut_off IN (0, 1)),
    basis           TEXT NOT NULL DEFAULT 'label' CHECK (basis IN ('label', 'spot', 'guess')),
    watts           REAL CHECK (watts >= 0),
    hours_a_day     REAL CHECK (hours_a_day BETWEEN 0 AND 24),
    duty            REAL CHECK (duty BETWEEN 0 AND 1),
    yearly_wh       REAL CHECK (yearly_wh >= 0),
    daily_wh        REAL CHECK (daily_wh >= 0),
    applied_at      TEXT,
    applied_before  TEXT CHECK (applied_before IS NULL OR json_valid(applied_before)),
    applied_after   TEXT CHECK (applied_after IS NULL OR json_valid(applied_after)),
    version         INTEGER NOT NULL DEFAULT 1,
    CHECK ((applied_at IS NULL) = (applied_before IS NULL) AND (applied_at IS NULL) = (applied_after IS NULL))
) STRICT;

CREATE INDEX bench_run_of ON bench_run (rig_id, begun_at);

CREATE TABLE bench_mark (
    run_id      INTEGER NOT NULL REFERENCES bench_run (id) ON DELETE CASCADE,
    at          TEXT NOT NULL CHECK (at GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]T[0-2][0-9]:[0-5][0-9]:[0-5][0-9]Z'),
    wh          REAL CHECK (wh >= 0),
    run_minutes REAL CHECK (run_minutes >= 0),
    soc         REAL CHECK (soc BETWEEN 0 AND 1),
    volts       REAL CHECK (volts BETWEEN 0 AND 1000),
    ah          REAL CHECK (ah >= 0),
    ac_wh       REAL CHECK (ac_wh >= 0),
    other_wh    REAL CHECK (other_wh >= 0),
    dc_w        REAL CHECK (dc_w >= 0),
    ac_w        REAL CHECK (ac_w >= 0),
    peak_w      REAL CHECK (peak_w >= 0),
    low_w       REAL CHECK (low_w >= 0),
    ambient_c   REAL CHECK (ambient_c BETWEEN -60 AND 80),
    reset       INTEGER NOT NULL DEFAULT 0 CHECK (reset IN (0, 1)),
    note        TEXT NOT NULL DEFAULT '' CHECK (length(note) <= 500),
    PRIMARY KEY (run_id, at)
) STRICT, WITHOUT ROWID;

-- Each change of a run, with the whole of it as it was before, so that it can be taken back.
CREATE TABLE bench_change (
    id         INTEGER PRIMARY KEY,
    run_id     INTEGER NOT NULL REFERENCES bench_run (id) ON DELETE CASCADE,
    changed_at TEXT NOT NULL,
    version    INTEGER NOT NULL,  -- the run's, once changed
    before     TEXT NOT NULL CHECK (json_valid(before))
) STRICT;

CREATE INDEX bench_change_of ON bench_change (run_id);

-- The measuring round that is under way: the meters owned, and which load is on which meter when.
CREATE TABLE measuring_round (
    rig_id    INTEGER PRIMARY KEY REFERENCES rig (id) ON DELETE CASCADE,
    begun_at  TEXT NOT NULL,
    ac_meters INTEGER NOT NULL CHECK (ac_meters BETWEEN 0 AND 20),
    dc_meters INTEGER NOT NULL CHECK (dc_meters BETWEEN 0 AND 20),
    slots     TEXT NOT NULL CHECK (json_valid(slots))
) STRICT;
