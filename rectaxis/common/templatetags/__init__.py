"""Template tags that every app may use."""
