"""Template tags of the drawings."""
