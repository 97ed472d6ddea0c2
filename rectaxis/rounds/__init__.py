"""The technician's days: what is due, visits on a time line, and plans by yards, ferries, kits and hours. Plans are made by ``planning``."""
