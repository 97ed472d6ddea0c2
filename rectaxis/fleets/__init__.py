"""Fleets, their vehicles and the vehicles' layouts."""
