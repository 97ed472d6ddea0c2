"""The plan drawing, the strips and the clock hand, as SVG templates fed by plain data.

Only pixels are computed here. The nose points left, so the vehicle's right side is at the top; a bearing or heading to
the right is a clockwise turn on the screen.
"""
