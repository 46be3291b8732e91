"""A target on a stand of its own: which tapes find its place, and where it stands by those that were read.

Two controls cut the place best and a third checks it (``stakeout``); where both edges of the target are read, its
facing follows too. The tapes are held level. Solved as ``state``; vehicle axes, millimetres and degrees.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from escuadra.core.base.axes import turned
from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Noun, said
from escuadra.core.geodesy.stakeout import StakedMark, StakeoutInput, StakePoint, stakeout
from escuadra.core.geodesy.state.input import WantedAhead, WantedBeside
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.floor_marks import TAPE, control_name, controls_of
from escuadra.core.visit.log.state import LATER, Entry
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Slot, measured_by_tool
from escuadra.core.visit.solution.network_builder import ORIGIN, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.core.visit.target_on_beam import EDGES

STAND = frozenset({"stand", "hubs", "line"})
U_LEVEL_MM = 12.0
"""How far from level the ends of a tape are held, one sigma."""
U_WIDTH_MM = 0.5
ELSEWHERE_MM = 500.0
"""How unsure the place of a hub or mark is that stands elsewhere, one sigma."""


def points_of(plan: Plan) -> dict[str, float]:
    """What of the target is taped: each part's distance left of its centre, as one looks at its face."""
    assert plan.station is not None
    reference, half = plan.station.reference, plan.target.width / 2
    if reference == "both_edges":
        return {part: side * half for part, side in EDGES.items()}
    return {reference: EDGES.get(reference, 0.0) * half}


def part_name(part: str) -> Noun:
    """A part of a target: its middle, an edge."""
    return Noun(f"part.{part}")


@dataclass(frozen=True)
class Staking:
    """Where a stand's target must be, and how each part of it is found."""

    centre: tuple[float, float]
    facing_deg: float
    found: dict[str, StakedMark]
    controls: dict[str, tuple[float, float, float]]
    """Of each control: x, y and u."""


def staking(epochs: Epochs) -> Staking | None:
    """The way to place the station's stand; nothing while no line is known, or from where no two tapes cut."""
    return epochs.once(_staking)


def _staking(epochs: Epochs) -> Staking | None:
    solution = epochs.lines
    if solution is None or solution.line is None:
        return None
    angle = solution.derived("line_angle").value
    place = epochs.plan.target_place
    dx, dy = turned(angle, 0.0, place.y)
    centre = (place.x + dx, solution.line_at(place.x).value + dy)
    facing = place.facing_deg + angle
    controls = controls_of(epochs)
    try:
        marks = {
            part: stakeout(StakeoutInput(controls=controls, points=[_point(centre, facing, left)], tape=TAPE)).marks[0]
            for part, left in points_of(epochs.plan).items()
        }
    except BadInput:
        return None
    return Staking(centre, facing, marks, {name: (c.x, c.y, c.u) for name, c in controls.items()})


def on_face(centre: tuple[float, float], facing_deg: float, left: float) -> tuple[float, float]:
    """A point beside a target's centre: to the left as one looks at its face."""
    dx, dy = turned(facing_deg + 180.0, 0.0, left)
    return centre[0] + dx, centre[1] + dy


def _point(centre: tuple[float, float], facing_deg: float, left: float) -> StakePoint:
    x, y = on_face(centre, facing_deg, left)
    return StakePoint(id="mark", x=x, y=y)


def tape_id(plan: Plan, part: str, control: str) -> str:
    """A slot of a stand's tape."""
    assert plan.station is not None
    return f"stand.{plan.station.id}.{part}.{control.replace('.', '_')}"


@dataclass(frozen=True)
class Taped:
    """A tape of a stand: its slot, the part of the target, and the control that it is held to."""

    slot: Slot
    part: str
    control: str


def stand_tapes(epochs: Epochs) -> list[Taped]:
    """The tapes that find the stand's target: the best two and their check, then further ones that may be read."""
    way, plan = staking(epochs), epochs.plan
    if way is None:
        return []
    found: list[Taped] = []
    for part, left in points_of(plan).items():
        mark = way.found[part]
        x, y = on_face(way.centre, way.facing_deg, left)
        asked = [*mark.pair, *([mark.check] if mark.check and len(way.found) == 1 else [])]
        for name, (cx, cy, _) in way.controls.items():
            length = math.hypot(x - cx, y - cy)
            if length < 200:
                continue
            slot = Slot(
                id=tape_id(plan, part, name),
                label=said("staked.to", name=control_name(name), part=part_name(part)),
                quantity=Quantity(dimension="length", unit="mm", low=0.5 * length, high=1.5 * length),
                aspects=STAND,
                reads="tape",
                optional=name not in asked,
                hint=said("staked.tape_held_level_plumb_line"),
                wanted=round(length, 1),
            )
            found.append(Taped(slot, part, name))
    return sorted(found, key=lambda tape: tape.slot.optional)


def stand_slots(epochs: Epochs) -> list[Slot]:
    """Their slots."""
    return [tape.slot for tape in stand_tapes(epochs)]


@dataclass(frozen=True)
class Stood:
    """Where a stand's target is by its tapes, against where it must be."""

    solution: EpochSolution
    """What its tapes, and the vehicle they are held to, say together."""
    elsewhere: str
    """The hub or mark that stands elsewhere than it is known to; empty where none does."""
    forward: float
    left: float
    u_forward: float
    u_left: float
    turned: float | None
    """Of its face to the left, degrees; nothing where its edges were not read."""
    u_turned: float

    @property
    def trusted(self) -> bool:
        """The tapes agree."""
        return self.solution.trusted

    @property
    def suspects(self) -> tuple[str, ...]:
        """Slots of those that are to blame where they do not."""
        return tuple(id.place for id in self.solution.suspects if id.source == "stand")


def stood(epochs: Epochs, entries: Mapping[str, Sequence[Entry]] | None = None, before: int = LATER) -> Stood | None:
    """Where the stand is; nothing while its tapes do not say. ``entries``: other than the current ones.

    Where all of them were read again and read the same, as it stood before an event, the one hub or mark without which
    they agree counts no more.
    """
    return epochs.once(_stood) if entries is None else _stood(epochs, entries, before)


def _stood(epochs: Epochs, entries: Mapping[str, Sequence[Entry]] | None = None, before: int = LATER) -> Stood | None:
    way, found = staking(epochs), stood_where(epochs, entries)
    if way is None or found is None or found.trusted:
        return found
    slots = stand_slots(epochs)
    read = [s.id for s in slots if (epochs.current(s) if entries is None else entries.get(s.id))]
    if not all(epochs.read_twice(id, before) for id in read):
        return found
    without = (stood_where(epochs, entries, control) for control in way.controls)
    fitting = [one for one in without if one is not None and one.trusted]
    return fitting[0] if len(fitting) == 1 else found


def stood_where(
    epochs: Epochs, entries: Mapping[str, Sequence[Entry]] | None = None, elsewhere: str = ""
) -> Stood | None:
    """The same where a hub or mark stands elsewhere than it is known to, as far as one is named."""
    way = staking(epochs)
    if way is None:
        return None
    parts = points_of(epochs.plan)
    into = Entering(epochs)
    for part, left in parts.items():
        into.free(part, on_face(way.centre, way.facing_deg, left))
    for control, (cx, cy, u) in way.controls.items():
        unsure = ELSEWHERE_MM if control == elsewhere else u
        into.known(control, "control", control, (cx, cy), (unsure, unsure))
    for place in stand_tapes(epochs):
        kept = entries.get(place.slot.id, ()) if entries is not None else epochs.current(place.slot)
        for run in epochs.by_runs(kept):
            for read in measured_by_tool(run, 0.0, U_LEVEL_MM, epochs.state.warm):
                into.reading(place.slot, read, "stand", "level_distance", from_=place.control, to=place.part)
    if len(parts) == 2:
        id, width = ObservationId("width"), epochs.plan.target.width
        into.put(id, "level_distance", width, U_WIDTH_MM, from_="left_edge", to="right_edge")
    entered = into.done()
    found = epochs.solving(entered.state(epochs.plan.nominal_goal))
    return (
        _against(EpochSolution(epochs.plan, found, entered, "", 0), way, parts, elsewhere)
        if found is not None
        else None
    )


def _against(solution: EpochSolution, way: Staking, parts: dict[str, float], elsewhere: str) -> Stood | None:
    found, place = solution.located, solution.plan.target_place
    ahead = found.asked([WantedAhead(id=p, type="ahead", point=p, from_=(ORIGIN,), line="axis") for p in parts])
    beside = found.asked([WantedBeside(id=p, type="beside", point=p, through=(ORIGIN,), line="axis") for p in parts])
    at = {part: (x, y) for part, x, y in zip(parts, ahead, beside, strict=True) if x is not None and y is not None}
    if len(at) < len(parts):
        return None

    def off(part: str, direction: tuple[float, float]) -> Derived:
        return found.sum(0.0, *zip(direction, at[part], strict=True))

    angle = way.facing_deg - place.facing_deg
    share = 1 / len(parts)
    wanted = on_face(way.centre, way.facing_deg, math.fsum(parts.values()) / len(parts))
    forward, left = (
        found.sum(-e[0] * wanted[0] - e[1] * wanted[1], *((share, off(part, e)) for part in parts))
        for e in (turned(angle, 1.0, 0.0), turned(angle, 0.0, 1.0))
    )
    face, u_face = None, 0.0
    if len(parts) == 2:
        # Along the face from its right edge to its left one; what stands square to it turns it.
        across = turned(way.facing_deg + 180.0, 1.0, 0.0)
        span = sum(abs(v) for v in parts.values())
        skew = found.sum(0.0, (1.0, off("left_edge", across)), (-1.0, off("right_edge", across)))
        face, u_face = -math.degrees(skew.value / span), math.degrees(skew.u / span)
    return Stood(solution, elsewhere, forward.value, left.value, forward.u, left.u, face, u_face)


observed_as(Kind("stand", again=True))
observed_as(Kind("width"))
for _axis in ("x", "y"):
    observed_as(Kind(f"control_{_axis}"))
