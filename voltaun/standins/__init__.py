"""Small simulated outside things, so that everything can be tried with no device and no network."""
