"""Clear sky on a plane, and how the sky goes on."""
