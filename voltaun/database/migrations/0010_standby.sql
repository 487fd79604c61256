-- What a thing with a label takes while it does not run, such as a clock or a supply that stays warm.
ALTER TABLE bench_run ADD COLUMN standby_w REAL CHECK (standby_w BETWEEN 0 AND 1e6);
