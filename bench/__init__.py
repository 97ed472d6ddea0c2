"""Measurements, printed as ratios and counts: absolute times say more of the machine than of the program."""
