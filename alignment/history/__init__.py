"""What an angle did over the years: still, drifting or jumped, when it will leave its limits, and which kit reads otherwise.

One angle of one vehicle is a ``Life``: visits with what was found and what was left. ``drift`` estimates, ``ahead`` looks forward,
``kits`` compares the kits of many lives. Each is linear and Gaussian, so that every answer has its doubt.
"""
