"""Figures of speed and size, measured side by side in one run; none of them passes or fails a test."""
