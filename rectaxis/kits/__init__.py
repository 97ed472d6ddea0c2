"""Tools that are carried, and their certificates."""
