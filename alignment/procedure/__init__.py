"""The procedure: what is hung where, what is read there and in which order, and what can hurt someone."""
