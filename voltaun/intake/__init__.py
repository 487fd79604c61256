"""What comes from outside, and what is large."""
