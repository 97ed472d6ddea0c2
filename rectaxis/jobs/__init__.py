"""A visit to a vehicle: its stages, what was typed, what was turned, and what was sealed.

Everything typed is an ``Entry`` in a named slot, and entries are only ever added: the newest of a slot counts.
``work.py`` makes readings, results and gates from them by asking the core; ``screens.py`` gives each stage its data.
"""
