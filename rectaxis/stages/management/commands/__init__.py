"""Commands of the stages."""
