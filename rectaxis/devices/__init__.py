"""Devices in the yard: paired with kits, followed by one process, and told to the pages that want to know."""
