"""Targets to print at true size, one on a page, with a bar to check the printer by and how to mount them."""

from __future__ import annotations

import html
import json
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from alignment.camera.plates import MARKERS, Plate
from alignment.model.vehicle import SIDES

DICTIONARY = "DICT_4X4_250"
MOST_AXLES = 20
_BAR_MM = 200
_MARGIN_MM = 8.0


@dataclass(frozen=True)
class Paper:
    """Paper lying on its side, mm, and the plate that it holds with its white border, a line of text and the bar."""

    width: int
    height: int
    plate: Plate


PAPERS = {
    "a3": Paper(420, 297, Plate(10, 8, 30.0, 16.0, 36.0, DICTIONARY)),
    "a4": Paper(297, 210, Plate(9, 6, 25.0, 13.0, 30.0, DICTIONARY)),
}
"""Sides of a plate differ, so that no quarter turn looks alike."""

_HOW = (
    (
        "Print at 100 %, without fitting to the page, on matt paper. Then measure the bar under a target: it must be 200 mm long within 0.2 mm. If it is "
        "not, set the printer right; a plate that is 0.1 % too large moves every distance by as much."
    ),
    "Glue each sheet without bubbles to a flat, stiff plate (aluminium sandwich, 3 mm). A plate that bows by 0.2 mm is seen.",
    (
        "Mount each plate on a clamp for the wheel that its name says, the right way up, turned 20 to 35° away from the line to the camera. It may sit askew and off "
        "the middle: the roll tells. How far its middle stands outboard of the tyre's middle plane (out_mm) must be measured once for each clamp, to 0.5 mm."
    ),
    "Keep the white about the grid clean and uncovered, half a pitch wide. Wipe mud off dots; a scratched dot does no harm.",
)


def plate_for(paper: Paper, number: int) -> Plate:
    """The plate of the target of that number, from 0, with markers of its own."""
    plate = paper.plate
    return Plate(
        plate.columns, plate.rows, plate.pitch_mm, plate.dot_mm, plate.marker_mm, plate.dictionary, MARKERS * number
    )


def wheels_of(axles: int) -> list[tuple[int, str]]:
    """The wheels in the order of their targets."""
    return [(axle, side) for axle in range(1, axles + 1) for side in SIDES]


def targets_for(axles: int, paper: Paper) -> list[dict[str, Any]]:
    """The targets as a set-up's file names them; ``out_mm`` is left to be measured."""
    found = []
    for number, (axle, side) in enumerate(wheels_of(axles)):
        plate = plate_for(paper, number)
        found.append(
            {"id": f"T{number + 1}", "axle": axle, "side": side, "columns": plate.columns, "rows": plate.rows, "pitch_mm": plate.pitch_mm,
             "dot_mm": plate.dot_mm, "dictionary": plate.dictionary, "marker_mm": plate.marker_mm, "first_marker": plate.first_marker}
        )  # fmt: skip
    return found


def drawing(plate: Plate) -> str:
    """The print of a plate as an SVG element in mm, its white border included."""
    wide, high = plate.half_size
    parts = [f'<rect x="{-wide:g}" y="{-high:g}" width="{2 * wide:g}" height="{2 * high:g}" fill="#fff"/>']
    parts += [f'<circle cx="{x:g}" cy="{y:g}" r="{plate.dot_mm / 2:g}"/>' for x, y in plate.dots.tolist()]
    for corner in range(MARKERS):
        parts += _marker(plate, corner)
    size = f'width="{2 * wide:g}mm" height="{2 * high:g}mm" viewBox="{-wide:g} {-high:g} {2 * wide:g} {2 * high:g}"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{"".join(parts)}</svg>'


def _marker(plate: Plate, corner: int) -> list[str]:
    """A marker: one black square, and its white cells in rows that touch, so that no hair of black shows between them."""
    white = marker_cells(plate.dictionary, plate.ids[corner])
    (x, y), size = plate.marker_middles[corner] - plate.marker_mm / 2, plate.marker_mm / len(white)
    parts = [f'<rect x="{x:g}" y="{y:g}" width="{plate.marker_mm:g}" height="{plate.marker_mm:g}"/>']
    path = "".join(
        f"M{x + column * size:.4f} {y + row * size:.4f}h{size:.4f}v{size:.4f}h{-size:.4f}z"
        for row, column in np.argwhere(white).tolist()
    )
    return [*parts, f'<path d="{path}" fill="#fff"/>']


def marker_cells(dictionary: str, number: int) -> NDArray[np.bool_]:
    """A marker's cells, its black border included: True is white."""
    known = cv2.aruco.getPredefinedDictionary(getattr(cv2.aruco, dictionary))
    cells = known.markerSize + 2
    return np.asarray(cv2.aruco.generateImageMarker(known, number, cells, borderBits=1) > 0)


def pdf(axles: int, paper: Paper) -> bytes:
    """All targets of a vehicle as a PDF, and what to do with them."""
    from weasyprint import HTML

    pages = [_page(paper, number, axle, side) for number, (axle, side) in enumerate(wheels_of(axles))]
    how = "".join(f"<li>{html.escape(line)}</li>" for line in _HOW)
    listed = ",\n ".join(json.dumps(one) for one in targets_for(axles, paper))
    text = (
        f"<html lang='en'><head><meta charset='utf-8'><title>Targets for {axles} axles</title><style>{_style(paper)}</style></head><body>"
        f"<section><h1>Targets for {axles} axle{'s' if axles > 1 else ''}</h1><ol>{how}</ol><h2>Lines for the set-up's file</h2>"
        f'<pre>"targets": [\n {html.escape(listed)}]</pre></section>{"".join(pages)}</body></html>'
    )
    found: bytes = HTML(string=text).write_pdf()
    return found


def _page(paper: Paper, number: int, axle: int, side: str) -> str:
    plate = plate_for(paper, number)
    name = f"T{number + 1}: axle {axle} {side}"
    bar = f'<svg xmlns="http://www.w3.org/2000/svg" width="{_BAR_MM}mm" height="3mm" viewBox="0 0 {_BAR_MM} 3"><path d="M0 0v3h.2v-1.4h{_BAR_MM - 0.4}v1.4h.2v-3h-.2v1.4h-{_BAR_MM - 0.4}v-1.4z"/></svg>'
    return f"<section class='target'>{drawing(plate)}<p>{bar} {_BAR_MM} mm &nbsp; {name} &nbsp; this edge down</p></section>"


def _style(paper: Paper) -> str:
    return (
        f"@page {{ size: {paper.width}mm {paper.height}mm; margin: {_MARGIN_MM:g}mm }} body {{ margin: 0; font: 10pt sans-serif }} "
        "section { break-after: page } section:last-child { break-after: auto } .target { text-align: center } "
        ".target p { margin: 1mm 0 0; font-size: 9pt } svg { display: inline-block; vertical-align: middle } pre { font-size: 6.5pt; white-space: pre-wrap } "
        "h1 { font-size: 16pt } h2 { font-size: 11pt } li { margin-bottom: 2mm; max-width: 200mm }"
    )
