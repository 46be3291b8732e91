"""A distance carried past the vehicle: out from the datum, along a parallel line, squared back onto the line in use.

Four corners from sides, diagonals and what is known of the line, by ``network``: a bad diagonal shows itself. Axes of
its own: origin at the datum's mark on the floor, x along the line away from the vehicle, y outward. Millimetres.
"""

import math
from typing import Any

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import nouns, said
from escuadra.core.geodesy.adjustment import adjust
from escuadra.core.geodesy.network import result_of
from escuadra.core.geodesy.observations import NetworkInput

SIDES = {
    "out": ("datum", "abeam"),
    "along": ("abeam", "corner"),
    "back": ("corner", "mark"),
    "diagonal": ("datum", "corner"),
    "cross": ("abeam", "mark"),
    "straight": ("datum", "mark"),
}
"""Each reading and the corners that it joins."""


class Side(Frozen):
    """A measured side or diagonal."""

    value: Positive
    u: Positive


class RectangleInput(Frozen):
    """What was read, and what is known."""

    along: Positive = Field(description="how far along the line the mark must stand from the datum, mm")
    inward: Number = Field(description="from the datum square to the line: positive where the line lies inward, mm")
    u_inward: Positive
    square_deg: Positive = Field(0.15, description="u of the right angle at which one goes out from the datum")
    sighting_deg: Positive | None = Field(
        None, description="u of a square sighted along at both ends, degrees; its two right angles replace diagonals"
    )
    sides: dict[str, Side] = Field(description=f"readings by name: {', '.join(SIDES)}")
    u_offset: NotNegative = Field(0.0, description="what all of them share, mm")
    u_scale: NotNegative = 0.0


class RectangleResult(Frozen):
    """Where the mark stands, and which reading is to blame where one is."""

    off: float = Field(description="of the mark along the line: positive where it stands too far away, mm")
    u_off: float
    out_of_square_deg: float = Field(description="of the corner abeam of the datum from 90 degrees")
    passes: bool
    suspects: list[str]
    corners: dict[str, tuple[float, float]]


def _squared(given: RectangleInput, sighting_deg: float) -> RectangleResult:
    """By a square at both ends: each sighting error counts over the length that it is carried, nothing checks it."""
    out, along, back = (given.sides[name] for name in ("out", "along", "back"))
    sighted = math.radians(sighting_deg) * math.hypot(out.value, back.value)
    u = math.hypot(along.u, sighted, given.u_offset, given.u_scale * along.value)
    corners = {"abeam": (0.0, out.value), "corner": (along.value, out.value)}
    return RectangleResult(
        off=along.value - given.along,
        u_off=u,
        out_of_square_deg=0.0,
        passes=True,
        suspects=[],
        corners={"datum": (0.0, 0.0), **corners, "mark": (along.value, out.value - back.value)},
    )


def rectangle(given: RectangleInput) -> RectangleResult:
    """Solve the corners; raises ``BadInput`` for an unknown side or where too little was read."""
    unknown = next((name for name in given.sides if name not in SIDES), None)
    if unknown is not None:
        raise BadInput("sides", unknown, said("wants.readings_named", names=nouns(SIDES, "comma")))
    three = {"out", "along", "back"} <= given.sides.keys()
    if three and given.sighting_deg is not None:
        return _squared(given, given.sighting_deg)
    if not three or not {"diagonal", "cross"} & given.sides.keys():
        raise BadInput("sides", ", ".join(given.sides), said("wants.out_along_back_least_one"))
    out = given.sides["out"].value
    points: dict[str, dict[str, Any]] = {
        "datum": {"x": 0.0, "y": 0.0, "fixed": True},
        "abeam": {"x": 0.0, "y": out, "fixed": False},
        "corner": {"x": given.along, "y": out, "fixed": False},
        "mark": {"x": given.along, "y": -given.inward, "fixed": False},
    }
    observations: list[dict[str, Any]] = [
        {
            "id": "square",
            "type": "x",
            "point": "abeam",
            "value": 0.0,
            "u": math.radians(given.square_deg) * max(out, 1.0),
        },
        {"id": "line", "type": "y", "point": "mark", "value": -given.inward, "u": given.u_inward},
    ]
    for name, side in given.sides.items():
        a, b = SIDES[name]
        more = {"instrument": "tape"} if given.u_offset or given.u_scale else {}
        observations.append(
            {"id": name, "type": "distance", "from": a, "to": b, "value": side.value, "u": side.u, **more}
        )
    shared = (
        {"tape": {"u_offset": given.u_offset, "u_scale": given.u_scale}} if "instrument" in observations[-1] else {}
    )
    network = NetworkInput.read({"points": points, "observations": observations, "instruments": shared})
    solution = adjust(network)
    judged = result_of(network, solution)
    at = {name: (judged.points[name].x, judged.points[name].y) for name in ("abeam", "corner", "mark")}
    away = math.atan2(at["corner"][1] - at["abeam"][1], at["corner"][0] - at["abeam"][0])
    outward = math.atan2(at["abeam"][1], at["abeam"][0])
    return RectangleResult(
        off=at["mark"][0] - given.along,
        u_off=judged.points["mark"].u_x,
        out_of_square_deg=math.degrees(outward - away) - 90,
        passes=judged.passes,
        # A diagonal is the hardest to read: of those that share the blame it is named first.
        suspects=sorted((i for i in judged.suspects if i in SIDES), key=lambda i: i not in ("diagonal", "cross")),
        corners={"datum": (0.0, 0.0), **at},
    )
