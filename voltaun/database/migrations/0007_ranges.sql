-- The legal ranges of a rig's figures, as the table of fields has them (a test compares the two). Triggers and not
-- checks: rows that stand already are let be, and can be mended.

CREATE TRIGGER rig_ranges BEFORE INSERT ON rig
WHEN NEW.latitude NOT BETWEEN -90 AND 90
    OR NEW.longitude NOT BETWEEN -180 AND 180
    OR NEW.elevation_m NOT BETWEEN -430 AND 9000
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

CREATE TRIGGER rig_ranges_kept BEFORE UPDATE OF latitude, longitude, elevation_m ON rig
WHEN NEW.latitude NOT BETWEEN -90 AND 90
    OR NEW.longitude NOT BETWEEN -180 AND 180
    OR NEW.elevation_m NOT BETWEEN -430 AND 9000
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

CREATE TRIGGER bank_ranges BEFORE INSERT ON bank
WHEN NEW.unit_voltage_v NOT BETWEEN 1 AND 1000
    OR NEW.unit_capacity_ah NOT BETWEEN 0.1 AND 1000000
    OR NEW.series NOT BETWEEN 1 AND 1000
    OR NEW.parallel NOT BETWEEN 1 AND 1000
    OR NEW.rated_energy_wh NOT BETWEEN 1 AND 100000000
    OR NEW.tested_energy_wh NOT BETWEEN 1 AND 100000000
    OR NEW.logged_energy_wh NOT BETWEEN 1 AND 100000000
    OR EXISTS (SELECT 1 FROM json_each(NEW.pack_wh) WHERE value NOT BETWEEN 1 AND 100000000)
    OR NEW.charge_limit_w NOT BETWEEN 1 AND 1000000
    OR NEW.solar_input_w NOT BETWEEN 1 AND 1000000
    OR NEW.everyday_floor NOT BETWEEN 0 AND 0.99
    OR NEW.hard_floor NOT BETWEEN 0 AND 0.99
    OR NEW.charge_efficiency NOT BETWEEN 0.3 AND 1
    OR NEW.standby_w NOT BETWEEN 0 AND 10000
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

CREATE TRIGGER inverter_ranges BEFORE INSERT ON inverter
WHEN NEW.idle_w NOT BETWEEN 0 AND 10000
    OR NEW.efficiency NOT BETWEEN 0.3 AND 1
    OR NEW.continuous_w NOT BETWEEN 1 AND 1000000
    OR NEW.surge_w NOT BETWEEN 1 AND 1000000
    OR NEW.hours_on_per_day NOT BETWEEN 0 AND 24
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

CREATE TRIGGER solar_array_ranges BEFORE INSERT ON solar_array
WHEN NEW.panel_w NOT BETWEEN 1 AND 1000000
    OR NEW.panels NOT BETWEEN 1 AND 10000
    OR NEW.tilt_deg NOT BETWEEN 0 AND 90
    OR NEW.azimuth_deg NOT BETWEEN 0 AND 360
    OR EXISTS (SELECT 1 FROM json_each(NEW.shade_factor) WHERE value NOT BETWEEN 0 AND 1)
    OR NEW.controller_limit_w NOT BETWEEN 1 AND 1000000
    OR NEW.controller_limit_a NOT BETWEEN 0.1 AND 100000
    OR NEW.aimed_per_day NOT BETWEEN 0 AND 12
    OR NEW.hours_out NOT BETWEEN 0.5 AND 24
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

CREATE TRIGGER charger_ranges BEFORE INSERT ON charger
WHEN NEW.charge_w NOT BETWEEN 1 AND 1000000
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

CREATE TRIGGER stay_ranges BEFORE INSERT ON stay
WHEN NEW.latitude NOT BETWEEN -90 AND 90
    OR NEW.longitude NOT BETWEEN -180 AND 180
    OR NEW.elevation_m NOT BETWEEN -430 AND 9000
    OR NEW.shade_factor NOT BETWEEN 0 AND 1
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;

CREATE TRIGGER load_ranges BEFORE INSERT ON load
WHEN NEW.daily_wh NOT BETWEEN 0 AND 10000000
    OR NEW.running_w NOT BETWEEN 0 AND 1000000
    OR NEW.surge_w NOT BETWEEN 0 AND 1000000
BEGIN
    SELECT RAISE (ABORT, 'a figure of the rig is out of its range');
END;
