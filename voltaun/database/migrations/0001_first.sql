CREATE TABLE setting (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;

CREATE TABLE rig (
    id           INTEGER PRIMARY KEY,
    name         TEXT NOT NULL CHECK (trim(name) <> ''),
    version      INTEGER NOT NULL DEFAULT 1,
    latitude     REAL NOT NULL CHECK (latitude BETWEEN -90 AND 90),
    longitude    REAL NOT NULL CHECK (longitude BETWEEN -180 AND 180),
    elevation_m  REAL NOT NULL,
    timezone     TEXT NOT NULL,
    use_side     TEXT NOT NULL CHECK (use_side IN ('ac', 'dc')),
    soc_from     TEXT NOT NULL CHECK (soc_from IN ('shunt', 'display', 'volts')),
    not_yet_told TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(not_yet_told)),
    removed      INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))
) STRICT;

-- A removed rig stays with its log for undo, and does not stand in the way of its name.
CREATE UNIQUE INDEX rig_name ON rig (name) WHERE removed = 0;

CREATE TABLE bank (
    rig_id            INTEGER PRIMARY KEY REFERENCES rig (id) ON DELETE CASCADE,
    chemistry         TEXT NOT NULL CHECK (chemistry IN ('lfp', 'nmc', 'agm', 'gel', 'flooded')),
    unit_voltage_v    REAL CHECK (unit_voltage_v > 0),
    unit_capacity_ah  REAL CHECK (unit_capacity_ah > 0),
    series            INTEGER NOT NULL CHECK (series >= 1),
    parallel          INTEGER NOT NULL CHECK (parallel >= 1),
    rated_energy_wh   REAL CHECK (rated_energy_wh > 0),
    tested_energy_wh  REAL CHECK (tested_energy_wh > 0),
    everyday_floor    REAL NOT NULL CHECK (everyday_floor BETWEEN 0 AND 0.99),
    hard_floor        REAL NOT NULL CHECK (hard_floor BETWEEN 0 AND everyday_floor),
    charge_efficiency REAL NOT NULL CHECK (charge_efficiency > 0 AND charge_efficiency <= 1),
    standby_w         REAL NOT NULL CHECK (standby_w >= 0),
    CHECK (rated_energy_wh IS NOT NULL OR (unit_voltage_v IS NOT NULL AND unit_capacity_ah IS NOT NULL))
) STRICT;

CREATE TABLE inverter (
    rig_id           INTEGER PRIMARY KEY REFERENCES rig (id) ON DELETE CASCADE,
    idle_w           REAL NOT NULL CHECK (idle_w >= 0),
    efficiency       REAL NOT NULL CHECK (efficiency > 0 AND efficiency <= 1),
    continuous_w     REAL CHECK (continuous_w > 0),
    surge_w          REAL CHECK (surge_w > 0),
    hours_on_per_day REAL NOT NULL CHECK (hours_on_per_day BETWEEN 0 AND 24)
) STRICT;

CREATE TABLE solar_array (
    rig_id             INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    position           INTEGER NOT NULL,
    name               TEXT NOT NULL,
    panel_w            REAL NOT NULL CHECK (panel_w > 0),
    panels             INTEGER NOT NULL CHECK (panels >= 1),
    tilt_deg           REAL NOT NULL CHECK (tilt_deg BETWEEN 0 AND 90),
    azimuth_deg        REAL NOT NULL CHECK (azimuth_deg BETWEEN 0 AND 360),
    shade_factor       TEXT NOT NULL CHECK (json_valid(shade_factor)),
    controller_limit_w REAL CHECK (controller_limit_w > 0),
    PRIMARY KEY (rig_id, position)
) STRICT, WITHOUT ROWID;

-- Vehicles, generators and mains chargers: each a steady power at the battery's terminals.
CREATE TABLE charger (
    rig_id          INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    source          TEXT NOT NULL CHECK (source IN ('vehicle', 'generator', 'mains')),
    position        INTEGER NOT NULL,
    name            TEXT NOT NULL,
    charge_w        REAL NOT NULL CHECK (charge_w > 0),
    fuel_l_per_hour REAL CHECK (fuel_l_per_hour IS NULL OR (fuel_l_per_hour >= 0 AND source = 'generator')),
    PRIMARY KEY (rig_id, source, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE load (
    rig_id    INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    position  INTEGER NOT NULL,
    name      TEXT NOT NULL,
    daily_wh  REAL NOT NULL CHECK (daily_wh >= 0),
    side      TEXT NOT NULL CHECK (side IN ('ac', 'dc')),
    running_w REAL CHECK (running_w >= 0),
    surge_w   REAL CHECK (surge_w >= 0),
    priority  TEXT NOT NULL CHECK (priority IN ('essential', 'wanted', 'spare')),
    pattern   TEXT NOT NULL CHECK (json_valid(pattern)),
    months    TEXT NOT NULL CHECK (json_valid(months)),
    evidence  TEXT NOT NULL CHECK (evidence IN ('metered', 'spot', 'trial', 'label', 'guess')),
    PRIMARY KEY (rig_id, position)
) STRICT, WITHOUT ROWID;

-- Instants are UTC, ISO 8601 to the second, so that they sort as text.
CREATE TABLE reading (
    id              INTEGER PRIMARY KEY,
    rig_id          INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    at              TEXT NOT NULL CHECK (at GLOB '[12][0-9][0-9][0-9]-[01][0-9]-[0-3][0-9]T[0-2][0-9]:[0-5][0-9]:[0-5][0-9]Z'),
    soc             REAL CHECK (soc BETWEEN 0 AND 1),
    volts           REAL CHECK (volts BETWEEN 0 AND 1000),
    solar_wh        REAL CHECK (solar_wh >= 0),
    vehicle_wh      REAL CHECK (vehicle_wh >= 0),
    generator_wh    REAL CHECK (generator_wh >= 0),
    mains_wh        REAL CHECK (mains_wh >= 0),
    vehicle_hours   REAL CHECK (vehicle_hours >= 0),
    generator_hours REAL CHECK (generator_hours >= 0),
    use_wh          REAL CHECK (use_wh >= 0),
    sky             TEXT CHECK (sky IN ('clear', 'mixed', 'overcast', 'storm')),
    full_at         TEXT CHECK (full_at <= at),
    temp_c          REAL CHECK (temp_c BETWEEN -60 AND 80),
    note            TEXT NOT NULL DEFAULT '' CHECK (length(note) <= 2000),
    version         INTEGER NOT NULL DEFAULT 1,
    removed         INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))
) STRICT;

-- One reading at an instant; what was removed stays for undo and does not stand in the way.
CREATE UNIQUE INDEX reading_at ON reading (rig_id, at) WHERE removed = 0;

-- Each change of a reading, with the row as it was before, so that it can be taken back.
CREATE TABLE reading_change (
    id         INTEGER PRIMARY KEY,
    reading_id INTEGER NOT NULL REFERENCES reading (id) ON DELETE CASCADE,
    changed_at TEXT NOT NULL,
    action     TEXT NOT NULL CHECK (action IN ('added', 'edited', 'removed', 'undone')),
    before     TEXT CHECK (before IS NULL OR json_valid(before))
) STRICT;

CREATE INDEX reading_change_of ON reading_change (reading_id);

-- Clear-sky tables, made once for each plane at a place and kept.
CREATE TABLE clear_sky (
    latitude    REAL NOT NULL,
    longitude   REAL NOT NULL,
    elevation_m REAL NOT NULL,
    tilt_deg    REAL NOT NULL,
    azimuth_deg REAL NOT NULL,
    wh_per_m2   BLOB NOT NULL CHECK (length(wh_per_m2) = 70080),
    PRIMARY KEY (latitude, longitude, elevation_m, tilt_deg, azimuth_deg)
) STRICT, WITHOUT ROWID;
