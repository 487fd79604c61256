"""The rig and its parts."""
