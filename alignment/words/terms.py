"""The words of the trade, for a person who meets one of them on a screen. Common practice, no source."""

TERMS = (
    ("total toe", "how far the two wheels of an axle point towards each other (toe-in) or away (toe-out)"),
    ("toe", "the same of one wheel, against the line that its axle is judged by"),
    ("camber", "how far a wheel's top leans out (plus) or in (minus)"),
    ("caster", "how far the axis about which a wheel is steered leans back at its top"),
    ("steering axis inclination", "how far that axis leans in at its top"),
    ("included angle", "camber and steering axis inclination together: it does not change unless a part is bent"),
    ("thrust angle", "to which side the rear pushes, against the vehicle's centre line"),
    ("steer ahead", "where the front points with the steering wheel straight, against where the rear pushes"),
    ("out of square", "how far an axle points aside from the centre line"),
    ("scrub", "how far two axles that do not steer point apart: both drag"),
    ("setback", "how far one wheel of an axle stands behind the other"),
    ("runout", "what a rim or a clamp wobbles as the wheel turns: rolled away before anything is read"),
    ("± beside a number", "how far the readings may be wrong, in 95 of 100 cases"),
    ("too close to say", "a limit lies within what the readings may be wrong by: neither inside nor outside is sure"),
)
"""Each term with what it means."""
