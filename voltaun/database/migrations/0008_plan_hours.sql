-- From which local clock hour to which a plan lasts; without them as each kind usually does.
ALTER TABLE plan ADD COLUMN begin_hour REAL CHECK (begin_hour >= 0 AND begin_hour < 24);
ALTER TABLE plan ADD COLUMN end_hour REAL CHECK (end_hour BETWEEN 0 AND 24);
