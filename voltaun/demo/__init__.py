"""The demo: made-up rigs and logs from a seeded simulation whose truth is known."""
