-- What a labelled thing takes as it starts, W.
ALTER TABLE bench_run ADD COLUMN surge_w REAL CHECK (surge_w BETWEEN 0 AND 1e6);
