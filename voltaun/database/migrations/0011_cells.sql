-- A hydrometer on the bench: what each cell of a flooded bank shows. A list of values in a CHECK cannot be changed in
-- place, so that the table is made anew; nothing that points to it is touched.
CREATE TABLE bench_run_anew (
    id              INTEGER PRIMARY KEY,
    rig_id          INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    instrument      TEXT NOT NULL CHECK (instrument IN
                        ('meter', 'drawdown', 'capacity', 'inverter', 'harvest', 'hydrometer', 'label')),
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
    standby_w       REAL CHECK (standby_w BETWEEN 0 AND 1e6),
    CHECK ((applied_at IS NULL) = (applied_before IS NULL) AND (applied_at IS NULL) = (applied_after IS NULL))
) STRICT;

INSERT INTO bench_run_anew SELECT id, rig_id, instrument, subject, side, begun_at, state, warm, conditions, leave_out_hours,
    cut_off, basis, watts, hours_a_day, duty, yearly_wh, daily_wh, applied_at, applied_before, applied_after, version,
    standby_w FROM bench_run;
DROP TABLE bench_run;
ALTER TABLE bench_run_anew RENAME TO bench_run;
CREATE INDEX bench_run_of ON bench_run (rig_id, begun_at);

ALTER TABLE bench_mark ADD COLUMN cells TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(cells));
