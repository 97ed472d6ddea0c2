"""The specification library: which figures a vehicle is judged by, and where they come from."""
