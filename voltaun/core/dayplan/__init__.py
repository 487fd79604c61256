"""The day's plan: what to run when, what may be spent tonight, what to do with the rest."""
