"""What a use calls for."""
