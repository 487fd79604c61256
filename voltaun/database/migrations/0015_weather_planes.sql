-- What a weather file leaves on a plane, W/m² of each hour as 32-bit floats, so that the sun's way is reckoned once; what
-- another version of the model made is made again.
CREATE TABLE weather_plane (
    weather_id   INTEGER NOT NULL REFERENCES weather (id) ON DELETE CASCADE,
    tilt_deg     REAL NOT NULL,
    azimuth_deg  REAL NOT NULL,
    made_by      TEXT NOT NULL,
    w_per_m2     BLOB NOT NULL,
    PRIMARY KEY (weather_id, tilt_deg, azimuth_deg)
) STRICT, WITHOUT ROWID;
