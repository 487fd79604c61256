"""The instruments, their runs and findings."""
