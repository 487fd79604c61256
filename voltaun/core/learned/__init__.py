"""What a log teaches."""
