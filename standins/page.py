"""The page of a stand-in where a person moves its vehicle and makes trouble: plain forms, no script."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from standins.cameras import CameraYard
from standins.probe import Probe

if TYPE_CHECKING:
    from standins.device import Device


_HUNG = ("the vehicle", "the straight bar", "the straight bar, turned end for end")


def control_page(device: Device) -> str:
    """The page as text."""
    yard, trouble = device.yard, device.trouble
    if isinstance(yard, Probe):
        held = (
            _choice("what", ["tread", "pressure"])
            + _wheels(yard.wheels)
            + _choice("place", ["", "outer", "middle", "inner"])
        )
        rows = [_form("probe", "Hold it on", held, "Hold"), _form("probe", "Take it away", "", "Take away")]
        return _page(device, rows)
    rows = [
        _form("roll", f"Rolled {yard.rolled_deg:g}° forward", _number("deg", yard.rolled_deg), "Roll to this"),
        _form("steer", f"Steered {yard.steered_deg:g}° to the left", _number("deg", yard.steered_deg), "Steer to this"),
        _form("adjust", "Adjust", '<input name="path" value="axles/1/left/toe_deg" aria-label="what">' + _number("by", 0.1), "Move by this"),
        _form("bar", f"All of it hangs on {_HUNG[yard.bar]}", "", "Hang it otherwise"),
        *(
            _form(do, f"{label}: {_said(found)}", _wheels(yard.wheels), "Change")
            for do, label, found in (
                ("lift", "Lifted", yard.lifted), ("block", "Line of sight blocked", trouble.blocked), ("tilt", "Head not level", trouble.tilted),
            )
        ),
        _form("swap", f"Swapped across: {_said(set(trouble.swapped))}", _wheels(yard.wheels), "Change"),
        _form("knock", "Knocked", _choice("what", ["vehicle", "cameras"]), "Knock"),
        _form("clock", f"Clock off by {trouble.clock_off_s:g} s", _number("seconds", trouble.clock_off_s), "Set"),
        *(
            _form(do, f"{label}: {'yes' if getattr(trouble, do) else 'no'}", "", "Change")
            for do, label in (
                ("away", "Radio lost"), ("silent", "Connected but silent"), ("drained", "Battery nearly empty"), ("nonsense", "Says nonsense"),
            )
        ),
    ]  # fmt: skip
    if isinstance(yard, CameraYard):
        held = f"in place {yard.held}" if yard.held else "none: the cameras see the vehicle"
        rows += [
            _form("hold", f"Target held before the cameras: {held}", "", "Hold it, or hold it elsewhere"),
            _form("put_away", "Target held", "", "Put it away"),
        ]
    return _page(device, rows)


def _page(device: Device, rows: list[str]) -> str:
    title = escape(f"{device.name}, {device.serial}")
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>{title}</title>'
        f"<h1>{title}</h1><p>A stand-in: it plays a device on a made-up vehicle. What is changed here happens in the yard.</p>{''.join(rows)}</html>"
    )


def _form(do: str, label: str, fields: str, button: str) -> str:
    return (
        f'<form method="post" action="/control"><p>{escape(label)} <input type="hidden" name="do" value="{do}">{fields} '
        f"<button>{escape(button)}</button></p></form>"
    )


def _number(name: str, value: float) -> str:
    return f'<input name="{name}" type="number" step="any" value="{value:g}" aria-label="{name}" required>'


def _choice(name: str, words: list[str]) -> str:
    options = "".join(f"<option>{escape(word)}</option>" for word in words)
    return f'<select name="{name}" aria-label="{name}">{options}</select>'


def _wheels(wheels: list[tuple[int, str]]) -> str:
    axles = sorted({str(axle) for axle, _ in wheels})
    return _choice("axle", axles) + _choice("side", ["left", "right"])


def _said(wheels: set[tuple[int, str]]) -> str:
    return ", ".join(f"{side} of axle {axle}" for axle, side in sorted(wheels)) or "none"
