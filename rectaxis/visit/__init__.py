"""A visit to a vehicle, worked out from its record: readings and results, how far it is, what to move next; and its actions.

It knows no screen.
"""
