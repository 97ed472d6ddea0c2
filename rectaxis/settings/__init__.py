"""Settings: base, and local and testing on top of it."""
