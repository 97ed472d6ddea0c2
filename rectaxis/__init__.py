"""The Django project around ``alignment``: who, when, where, which vehicle, the record, the screens.

Imports run one way: reports and drawing may use jobs; jobs uses kits, specs, fleets and people; all may use common
and ``alignment``; nothing in ``alignment`` knows of this package. A change is made by an action
(``<app>/actions/<verb>_<noun>.py``), which checks permission and does the work in one transaction.
"""
