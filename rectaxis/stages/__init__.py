"""The Job place: the nine stages on the screen. A stage's file, its view's words and its template have its name.

Each makes plain data for its template from a ``Visit``; none computes or decides anything.
"""
