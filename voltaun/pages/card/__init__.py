"""The card on the wall."""
