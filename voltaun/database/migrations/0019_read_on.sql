-- Whose meter a capacity test's Wh at the sockets were read on.
ALTER TABLE bench_run ADD COLUMN read_on TEXT NOT NULL DEFAULT 'meter' CHECK (read_on IN ('meter', 'display'));
