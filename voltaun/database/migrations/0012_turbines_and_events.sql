-- Wind and water: a source by its Wh, with the W that it is rated for in place of a charger's. Which sources there are
-- stands in the table of sources; the file lists them no more, so that the next one needs no table made anew.
CREATE TABLE charger_anew (
    rig_id               INTEGER NOT NULL REFERENCES rig (id) ON DELETE CASCADE,
    source               TEXT NOT NULL CHECK (length(source) BETWEEN 1 AND 40),
    position             INTEGER NOT NULL,
    name                 TEXT NOT NULL,
    charge_w             REAL CHECK (charge_w > 0),
    fuel_l_per_hour      REAL CHECK (fuel_l_per_hour IS NULL OR (fuel_l_per_hour >= 0 AND source = 'generator')),
    input_v              REAL CHECK (input_v > 0),
    input_a              REAL CHECK (input_a > 0),
    spare_alternator_w   REAL CHECK (spare_alternator_w > 0),
    converter_efficiency REAL CHECK (converter_efficiency > 0 AND converter_efficiency <= 1),
    cut_off_v            REAL CHECK (cut_off_v > 0),
    continuous_w         REAL CHECK (continuous_w > 0),
    fuel_price           REAL CHECK (fuel_price >= 0),
    carried              INTEGER CHECK (carried IN (0, 1)),
    rated_w              REAL CHECK (rated_w > 0),
    CHECK ((charge_w IS NULL) <> (rated_w IS NULL)),
    PRIMARY KEY (rig_id, source, position)
) STRICT, WITHOUT ROWID;

INSERT INTO charger_anew (rig_id, source, position, name, charge_w, fuel_l_per_hour, input_v, input_a,
                          spare_alternator_w, converter_efficiency, cut_off_v, continuous_w, fuel_price, carried)
    SELECT rig_id, source, position, name, charge_w, fuel_l_per_hour, input_v, input_a,
           spare_alternator_w, converter_efficiency, cut_off_v, continuous_w, fuel_price, carried FROM charger;
DROP TABLE charger;
ALTER TABLE charger_anew RENAME TO charger;

CREATE TRIGGER charger_ranges BEFORE INSERT ON charger
WHEN NEW.charge_w NOT BETWEEN 1 AND 1000000
    OR NEW.rated_w NOT BETWEEN 1 AND 1000000
    OR NEW.input_v NOT BETWEEN 1 AND 1000
    OR NEW.input_a NOT BETWEEN 0.1 AND 10000
    OR NEW.spare_alternator_w NOT BETWEEN 1 AND 1000000
    OR NEW.converter_efficiency NOT BETWEEN 0.3 AND 1
    OR NEW.cut_off_v NOT BETWEEN 1 AND 1000
    OR NEW.fuel_l_per_hour NOT BETWEEN 0 AND 1000
    OR NEW.continuous_w NOT BETWEEN 1 AND 1000000
    OR NEW.fuel_price NOT BETWEEN 0 AND 1000000
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

ALTER TABLE reading ADD COLUMN turbine_wh REAL CHECK (turbine_wh >= 0);

-- What was done, as a list of words: equalised, water, panels_wiped and so on.
ALTER TABLE reading ADD COLUMN events TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(events));
CREATE INDEX reading_events ON reading (rig_id, at) WHERE events <> '[]';
