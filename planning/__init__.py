"""The technician's days: which visits, by whom, in which order, by which ferry, and when to leave.

Plain Python of its own beside ``alignment``: no Django, no database, JSON in and out. ``python -m planning plan DAYS.json`` is all of it
without the rest. It knows nothing of wheels: which kit can judge which vehicle it is told.

Each module may import those before it:

- ``errors``, ``model``: what a plan is made from, as frozen types
- ``clock``, ``network``, ``grid``: time zones, roads and ferries, and when which visit may begin in which turn
- ``timing``: one order of visits put on the clock
- ``costs``, ``search``, ``first``, ``habits``: what a plan is weighed by; how it is found; how days are planned without a program
- ``result``, ``why``, ``plan``: the plan as it is handed on, reasons in sentences, and from days to a plan
- ``moved``, ``replan``, ``whatif``: one visit moved by hand; the same in the middle of a day; with an hour or a van more
- ``durations``: how long a visit takes, from what past ones took
- ``checker``: whether a plan can be carried out; shares no code with the rest
- ``examples``: made-up days
"""
