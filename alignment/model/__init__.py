"""What stands in the yard: the vehicle, the unknowns that describe its state, and wheels as rigid bodies."""
