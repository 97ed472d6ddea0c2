"""The kinds of reading. A kind is one class in one file of this folder; this table is all that knows them by name."""

from __future__ import annotations

from alignment.readings.base import Reading
from alignment.readings.beams import FrameSide, HubSquare, MirrorPair, OutboardPair, SetbackScales
from alignment.readings.camera import RigCovariance, SteerAxis, WheelAxis
from alignment.readings.gauges import Camber, Clamp, RimAngle, Runout
from alignment.readings.ground import GroundTilt
from alignment.readings.plumb import Plumb
from alignment.readings.sights import Sight
from alignment.readings.steering import Caster, Lock, Sai, Swing, Turn
from alignment.readings.toe import CrossDial, DriveOver, TapeToe, Toe, ToeGauge, ToeScales
from alignment.readings.tyres import Stagger, Tread

KINDS: dict[str, type[Reading]] = {
    kind.KIND: kind
    for kind in (
        OutboardPair, ToeScales, TapeToe, ToeGauge, CrossDial, MirrorPair, HubSquare, FrameSide, SetbackScales, Toe,
        Camber, RimAngle, Caster, Sai, Swing, Runout, Clamp, Turn, Lock, DriveOver, WheelAxis, SteerAxis, RigCovariance, Sight,
        GroundTilt, Plumb, Tread, Stagger,
    )
}  # fmt: skip

__all__ = ["KINDS", "Reading"]
