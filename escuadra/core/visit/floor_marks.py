"""The line in use carried onto the floor: the marks to make, how to find each with two tapes and a check, and how sure.

Controls are the hubs as they were found and the plumbed centre marks. Old marks on a floor are a first guess, no more.
Source: ``stakeout``; the line's own uncertainty from the network.
"""

import math
from dataclasses import dataclass

from escuadra.core.base.axes import turned
from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Length, Name, Noun, Nouns, Said, nouns, said
from escuadra.core.base.wording import amount
from escuadra.core.bay.standing import place_name, target_places
from escuadra.core.geodesy.stakeout import Control, StakedMark, StakeoutInput, StakePoint, StakeTape, stakeout
from escuadra.core.procedure.bodies import BodyPoint
from escuadra.core.visit.epochs import Epochs

TAPE = StakeTape(constant=0.8, ppm=60)
"""u of a tape laid on a floor."""
HUBS: dict[str, Corner] = {f"hub.{corner}": corner for corner in CORNERS}
CENTRE_MARKS = {"mark.front": "front", "mark.rear": "rear"}
"""What a tape is held to, by its id."""
OLD_MARKS = said("floor_marks.old_marks_floor_first_guess")


@dataclass(frozen=True)
class FloorMark:
    """A mark to make."""

    words: Said
    x: float
    y: float
    found: StakedMark
    u_along: float
    u_across: float
    """Of its place against the line in use, with the tapes' own."""

    @property
    def tapes(self) -> Nouns:
        """How it is found: ``2,901 mm from the LF hub, 2,914 mm from the RF hub``."""
        return nouns(
            said("floor_marks.from_the", distance=Length(d, 0), name=control_name(name))
            for name, d in zip(self.found.pair, self.found.distances, strict=True)
        )


def control_name(control: str) -> Said:
    """What a tape is held to, by its id."""
    if control in HUBS:
        return said("floor_marks.hub", corner=Noun(f"corner.{HUBS[control]}"))
    return said(f"places.centre_mark.{CENTRE_MARKS[control]}")


def controls_of(epochs: Epochs) -> dict[str, Control]:
    """What tapes are held to: the hubs as they were found, and centre marks that were plumbed."""
    return epochs.once(_controls_of)


def _controls_of(epochs: Epochs) -> dict[str, Control]:
    solution = epochs.lines
    if solution is None:
        return {}
    found = {}
    for hub, corner in HUBS.items():
        at = solution.place(corner)
        found[hub] = Control(x=at[0], y=at[1], u=epochs.plan.vehicle.u_hub_mm)
    for mark in CENTRE_MARKS:
        if solution.knows(mark):
            x, y = solution.place(mark)
            found[mark] = Control(x=x, y=y, u=1.0)
    return found


def mark_at(epochs: Epochs, place: tuple[float, float]) -> StakedMark | None:
    """How a floor mark is found with two tapes and a check; nothing without a line, or where they cut too flat."""
    controls, (x, y) = controls_of(epochs), place
    if not controls:
        return None
    try:
        mark = StakePoint(id="mark", x=x, y=y)
        return stakeout(StakeoutInput(controls=controls, points=[mark], tape=TAPE)).marks[0]
    except BadInput:
        return None


def set_out(epochs: Epochs, place: tuple[float, float]) -> Said | None:
    """The lengths by which a floor mark is found, the side that it lies on, and to carry there what stands on it."""
    found, half = mark_at(epochs, place), epochs.plan.vehicle.outline.width / 2
    if found is None:
        return None
    pairs = list(zip(found.pair, found.distances, strict=True))
    if found.check is not None and found.check_distance is not None:
        pairs.append((found.check, found.check_distance))
    tapes = {
        name: said("floor_marks.from_the", distance=amount(d, "mm", 0), name=control_name(control))
        for name, (control, d) in zip(("first", "second", "third"), pairs, strict=False)
    }
    x, y = place
    side = ("left" if y > 0 else "right") if abs(y) > half else "ahead" if x > 0 else "behind"
    code = f"together.set_out.{'checked' if 'third' in tapes else 'hint'}"
    return said(code, side=Noun(f"together.side.{side}"), **tapes)


def floor_marks(epochs: Epochs) -> list[FloorMark]:
    """Marks on the line and across it for every target place; none while no line is known."""
    solution, plan = epochs.lines, epochs.plan
    if solution is None or solution.line is None:
        return []
    angle = math.radians(solution.derived("line_angle").value)
    nose = plan.vehicle.wheelbase + plan.vehicle.outline.front_overhang
    wanted: list[tuple[Said, float, float]] = [(said("floor_marks.line_300_mm_ahead_nose"), nose + 300, 0.0)]
    on_stands = {s.place for s in plan.procedure.stations if s.own_place}
    several = len(plan.procedure.stations) > 1
    bodies = [(station.name if several else "", one) for station in plan.procedure.stations for one in station.bodies]
    for station, one in bodies:
        corners: tuple[BodyPoint, ...] = ("bottom_middle", "bottom_left", "bottom_right")
        for point in (*corners, "top_left", "top_right") if one.kind == "mat" else corners:
            behind, left, _ = one.place(point)
            dx, dy = turned(one.facing_deg - 180.0, behind, left)
            named = Noun(f"together.point.{'upright' if one.upright else 'flat'}.{point}")
            if one.kind == "line":
                named = Noun(f"together.end.{'front' if dx > 0 else 'rear' if dx < 0 else 'middle'}")
            words = said("floor_marks.of_body", body=Name(one.name), point=named)
            if station:
                words = said("floor_marks.of_body_at", station=Name(station), body=Name(one.name), point=named)
            wanted.append((words, one.x + dx, one.y + dy))
    for place in target_places(plan.procedure, plan.vehicle) if not bodies else []:
        name = place_name(place.id)
        wanted.append((said("floor_marks.middle", name=name), place.x, place.y))
        if place.facing_deg in (0.0, 180.0):
            carried = place.id in on_stands
            half = place.width / 2 if carried else plan.frame.beam_length / 2
            what = "edge" if carried else "end"
            wanted += [(said(f"floor_marks.left_{what}", name=name), place.x, place.y + half)]
            wanted += [(said(f"floor_marks.right_{what}", name=name), place.x, place.y - half)]
        elif place.id in on_stands:
            # It stands beside the vehicle, its face along it.
            wanted += [(said("floor_marks.front_edge", name=name), place.x + place.width / 2, place.y)]
            wanted += [(said("floor_marks.rear_edge", name=name), place.x - place.width / 2, place.y)]
    points = {}
    for words, x, left in wanted:
        on_line = solution.line_at(x).value
        points[words] = (x - left * math.sin(angle), on_line + left * math.cos(angle))
    found = []
    for words, (x, y) in points.items():
        mark = mark_at(epochs, (x, y))
        if mark is None:
            continue
        across = math.hypot(solution.line_at(x).u, mark.major)
        found.append(FloorMark(words, x, y, mark, mark.major, across))
    return found
