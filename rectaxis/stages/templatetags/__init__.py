"""Template tags of the stages."""
