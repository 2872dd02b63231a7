"""The stages, in working order: lift, clear, edge, place. Each is a pure function of its input and settings."""
