"""Made-up vehicles: the same predictions, plus noise, over a hidden truth."""
