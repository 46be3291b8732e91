"""What makes a visit's state stand in space: the floor under it, which way is up, and how the frame stands on it.

Heights are read above the floor where they are read, levels against gravity; where the floor was not surveyed it is as
uncertain as an unknown floor is. A reading counts while nothing spoiled it, in whichever epoch it was taken. Source:
``state``.
"""

import math
from collections.abc import Collection, Sequence

from escuadra.core.base.corners import CORNERS, FRONT
from escuadra.core.base.said import Noun, Text, said
from escuadra.core.geodesy.state.input import Gravity
from escuadra.core.visit.log.disturbances import UPRIGHT
from escuadra.core.visit.plan import (
    ANY_BAY,
    ENDS,
    beam_height_slot,
    height_slot,
    level_slot,
    slope_slot,
    target_height_slot,
)
from escuadra.core.visit.readings import U_HUB_MM, ReadingsByEpoch, Stay
from escuadra.core.visit.slots import Measured, Slot
from escuadra.core.visit.solution.network_builder import MIDDLE, STANDS_ON, TARGET, Entering, Hung
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as
from escuadra.core.visit.target_on_beam import asks_hang, hang_slot, read_at, sag

U_UPRIGHT_DEG = 1.5
"""How upright a frame stands that nobody has levelled, one sigma: worse would be seen."""
U_BEAM_MM = 400.0
"""How far from its usual height a beam may stand, one sigma."""
U_CENTRE_MM = 300.0
"""How far above the beam a target's centre may be from what its sheet wants, one sigma, before it is read."""
U_HUNG_MM = 15.0
"""How far from where it should be a target is hung along the beam, one sigma, where that is read and was not yet."""
U_ANYWHERE_MM = 5000.0
"""Along the beam, where it was read."""
WHEELBASE, U_WHEELBASE_MM = "wheelbase", 1.5
"""Of the axles' distance, which the model has for both sides together, one sigma."""
AXLE, U_AXLE_MM = "rear axle", 0.7
"""Of the rear axle's place to the side, which the model has for both its hubs together, one sigma."""
U_UNLIKE_MM = 20.0
"""Of a hub's place, where readings that were confirmed contradict the model, one sigma."""
U_DROP_MM = 0.5
"""Of a target's centre below the beam, one sigma."""
U_TILTED_DEG = 0.3
"""How far off gravity's level a workshop floor lies that nobody has looked at, one sigma."""


def enter_vehicle(into: Entering, framed: bool = True, unlike: Collection[str] = ()) -> None:
    """Hubs; where a frame is read, how high they are too, the floor, and how it lies to gravity.

    ``unlike``: hubs that do not stand where the model has them: what was read says where.
    """
    plan = into.plan
    own, up = plan.vehicle.u_hub_mm, (plan.vehicle.hub_height, U_HUB_MM) if framed else None
    into.unlike = frozenset(unlike)
    into.shared(WHEELBASE, U_WHEELBASE_MM, 0.0, ObservationId(WHEELBASE))
    into.shared(AXLE, U_AXLE_MM, 0.0, ObservationId(AXLE))
    for corner in CORNERS:
        along, aside = (WHEELBASE, None) if corner in FRONT else (None, AXLE)
        u = U_UNLIKE_MM if corner in unlike else own
        into.known(corner, "hub", corner, plan.vehicle.hub(corner), (u, u), up, along, aside)
    if framed:
        _enter_ground(into)


def _enter_ground(into: Entering) -> None:
    plan = into.plan
    for corner in CORNERS:
        slot = height_slot(corner, plan)
        for part in into.read(slot):
            into.reading(slot, part, "height", "height", point=corner, floor=corner)
    for name, floor in plan.floors:
        into.floor(name, floor, ObservationId("floor" if plan.standing is not None else "unsurveyed", name))
    if plan.standing is not None:
        roll, pitch = plan.standing.roll_deg, plan.standing.pitch_deg
        up = Gravity(roll_deg=-roll.value, pitch_deg=-pitch.value, u_deg=max(roll.u, pitch.u))
    else:
        up = Gravity(roll_deg=0.0, pitch_deg=0.0, u_deg=U_TILTED_DEG)
        _enter_slopes(into)
    into.gravity = up
    into.sources |= {f"gravity.{way}_deg": ObservationId("gravity", way) for way in ("roll", "pitch")}


def _enter_slopes(into: Entering) -> None:
    """What a level on the floor under the wheels shows; a tyre's place may be off that slope."""
    vehicle, uneven = into.plan.vehicle, (into.plan.bay or ANY_BAY).u_place_mm
    across = (vehicle.hub_track_front + vehicle.hub_track_rear) / 2
    for way, what, base, sign in (("along", "pitch", vehicle.wheelbase, -1.0), ("across", "roll", across, 1.0)):
        slot = slope_slot("wheels", way, into.plan)
        for part in into.read(slot):
            # Percent by degrees: the readings' own and shared errors with it.
            degrees = math.degrees(0.01)
            own = math.hypot(part.figures.u_random * degrees, math.degrees(uneven / base))
            tool = f"{part.tool} %"
            into.shared(tool, part.figures.u_offset * degrees, 0.0, ObservationId("shared", "", part.tool))
            value = sign * math.degrees(math.atan(part.value / 100))
            id, of = ObservationId("slope", slot.id, part.tool, part.seq), [(slot, part, sign * degrees)]
            into.put(id, what, value, own, (tool,), of, body=STANDS_ON)
            into.stands_on = True


def enter_upright(readings: ReadingsByEpoch, into: Entering, stays: Sequence[Stay]) -> None:
    """How the frame stood at each of its places, in their order: upright, how high, and where its target hung."""
    _enter_priors(into, stays)
    for way in ("roll", "pitch"):
        slot = level_slot(way, into.plan)
        for stay, part in _at_stays(readings, slot, stays):
            into.reading(slot, part, "level", way, body=stay.body)
    for end in ENDS:
        slot = height_slot(end, into.plan)
        # A beam that leans otherwise than it did has its ends elsewhere, though its middle is as high.
        for stay, part in _at_stays(readings, slot, stays, UPRIGHT):
            into.reading(slot, part, "height", "height", point=f"{stay.body}:{end}", floor=end)
    _enter_target(readings, into, stays)


def _enter_priors(into: Entering, stays: Sequence[Stay]) -> None:
    for stay in stays:
        for way in ("roll", "pitch"):
            into.put(ObservationId("upright", f"{stay.body} {way}"), way, 0.0, U_UPRIGHT_DEG, body=stay.body)
        usual, at = into.plan.frame.beam_height, f"{stay.body}:{MIDDLE}"
        into.put(ObservationId("beam_height", stay.body), "z", usual, U_BEAM_MM, point=at)


def _enter_target(readings: ReadingsByEpoch, into: Entering, stays: Sequence[Stay]) -> None:
    """Where the target's centre is on the frame: each time that it was hung or cranked is another."""
    plan = into.plan
    hang, direct, beam = hang_slot(plan), target_height_slot(plan), beam_height_slot(plan)
    above = plan.target_above_floor - plan.frame.beam_height
    read = readings.by_stretch(hang, hang.aspects) if asks_hang(plan) else {}
    by_hanging: dict[int, list[str]] = {}
    for stay in stays:
        hanging = readings.stretch(hang.aspects, stay)
        shape = f"hung {hanging}.{readings.stretch(direct.aspects, stay)}"
        # What was read may be of another target position than the one at hand.
        u_along = (U_ANYWHERE_MM if hanging in read else U_HUNG_MM) if asks_hang(plan) else 0.0
        place = (-plan.face_ahead, plan.hang, above)
        into.hung[stay.body] = Hung(shape, place, (plan.frame.u_face_mm, u_along, U_CENTRE_MM))
        into.sources |= {f"{shape}.{TARGET}.{axis}": ObservationId("hung", axis) for axis in "xyz"}
        if shape not in by_hanging.setdefault(hanging, []):
            by_hanging[hanging].append(shape)
    for hanging, shapes in by_hanging.items():
        for part in readings.by_tool(hang.id, read.get(hanging, [])):
            off = part.value - read_at(plan, 0.0)
            # Cranked, a target hangs where it hung: what was read counts for each height that it had.
            for shape in reversed(shapes):
                at = hang.id if shape == shapes[-1] else f"{hang.id} {shape}"
                into.reading(hang, part, "hang", "own", off, place=at, shape=shape, point=TARGET, axis="y")
    # Hung anew, the target's height stays as it was read: it counts for the newest hanging.
    for stay, part in _at_stays(readings, direct, stays, newest=True):
        up = part.value + plan.up_to_centre
        into.reading(direct, part, "height", "height", up, point=f"{stay.body}:{TARGET}", floor="target")
    if beam is not None and plan.target.drop is not None:
        down, u_sag = sag(plan)
        for stay, part in _at_stays(readings, beam, stays, newest=True):
            # The beam that carries it, less how far the target's centre is below: its drop and what it pulls down.
            value = part.value - plan.target.drop - down
            beside = [(said("source.drop"), U_DROP_MM), (said("source.sag"), u_sag)]
            at = f"{stay.body}:{TARGET}"
            into.reading(beam, part, "height", "height", value, beside, point=at, floor="target")


def _at_stays(
    readings: ReadingsByEpoch,
    slot: Slot,
    stays: Sequence[Stay],
    aspects: frozenset[str] | None = None,
    newest: bool = False,
) -> list[tuple[Stay, Measured]]:
    """A slot's readings that count, one value a tool, each where it was taken; the ``newest``: where it held last.

    ``aspects``: what they depend on there, where that is not the slot's.
    """
    found, depends = [], aspects or slot.aspects
    for stretch, entries in readings.by_stretch(slot, depends).items():
        held = [stay for stay in stays if readings.stretch(depends, stay) == stretch]
        if held:
            seq = entries[-1].seq
            taken = next((stay for stay in reversed(held) if stay.start < seq), held[0])
            at = held[-1] if newest else taken
            found += [(at, part) for part in readings.by_tool(slot.id, entries)]
    return found


def _read_at(id: ObservationId) -> Text:
    return Noun(f"seen.{id.place}")


observed_as(Kind("level", _read_at, again=True))
observed_as(Kind("height", _read_at, again=True))
observed_as(Kind("hang", again=True))
observed_as(Kind("slope", _read_at, again=True))
observed_as(Kind("floor", lambda id: said("frame.survey_floor")))
observed_as(Kind("unsurveyed"))
observed_as(Kind("wheelbase", modelled=True))
observed_as(Kind("rear axle", lambda id: Noun("seen.rear_axle"), modelled=True))
observed_as(Kind("gravity", lambda id: Noun("seen.gravity")))
observed_as(Kind("upright", lambda id: Noun("seen.upright")))
observed_as(Kind("beam_height", lambda id: Noun("seen.upright"), told_in=lambda id: f"height.{ENDS[0]}"))
observed_as(Kind("hung", lambda id: Noun("seen.face" if id.place == "x" else "seen.hung")))
