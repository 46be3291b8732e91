"""Figures that nobody knows and that the work can do without: what stands in for them, and how much less sure it is.

Our own defaults. The hubs of a vehicle stand a little inside its widest place (0.885 of it, the mean of our practice
models, within 15 mm); a hub's face that nobody measured is within 2 mm of where the model has it; a body that nobody
measured is symmetrical within 2.5 mm. Wider than what a maker states, so that a verdict errs towards undecided.
"""

from collections.abc import Mapping
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said

TRACK_SHARE = 0.885
U_TRACK_MM, U_HUB_MM, U_SYMMETRY_MM = 15.0, 2.0, 2.5
TRACKS = ("hub_track_front", "hub_track_rear")
CAN_BE: dict[str, tuple[str, ...]] = {"vehicle": (*TRACKS, "u_hub_mm", "marks.u_symmetry_mm", "marks.u_emblem_mm")}
"""Kind of entry: the figures that a usual value can stand in for."""


def with_assumed(kind: str, data: Mapping[str, Any], unknown: list[str]) -> dict[str, Any]:
    """An entry's plain data with what stands in for what nobody knows; raises ``BadInput`` where that rests on more."""
    stray = next((name for name in unknown if name not in CAN_BE.get(kind, ())), None)
    if stray is not None:
        raise BadInput(stray, stray, said("wants.figure_that_can_be_unknown", known=", ".join(CAN_BE.get(kind, ()))))
    if not unknown:
        return dict(data)
    found = {**data, "assumed": sorted(unknown)}
    marks = dict(found.get("marks") or {})
    tracks = [name for name in TRACKS if name in unknown]
    if tracks:
        width = (found.get("outline") or {}).get("width")
        if not isinstance(width, int | float):
            raise BadInput("outline.width", "", said("wants.width_for_the_track"))
        found |= {name: round(TRACK_SHARE * width) for name in tracks}
        found["u_hub_mm"] = max(U_TRACK_MM / 2, _figure(found.get("u_hub_mm")))
    elif "u_hub_mm" in unknown:
        found["u_hub_mm"] = U_HUB_MM
    for name in ("u_symmetry_mm", "u_emblem_mm"):
        if f"marks.{name}" in unknown:
            marks[name] = U_SYMMETRY_MM if name == "u_symmetry_mm" else 2 * U_SYMMETRY_MM
    return {**found, "marks": marks} if marks else found


def _figure(value: object) -> float:
    return float(value) if isinstance(value, int | float) else 0.0
