"""A floor that nobody surveyed, in six heights: beside the four tyres and at both sides of the target.

They are read with a staff below one level's beam and make a survey of this place, good for this vehicle as it stands.
Between them the floor is as uneven as any unsurveyed one, and the beam's own plane may lean. Source: ``ground``.
"""

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from escuadra.core.base.corners import CORNERS, aside
from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Noun, Plain, exact, said
from escuadra.core.bay.bay import Place
from escuadra.core.bay.ground import Ground
from escuadra.core.bay.standing import stand, target_places
from escuadra.core.bay.survey import Levelled, Survey, SurveyPoint, SurveyReading
from escuadra.core.visit.log.state import State
from escuadra.core.visit.plan import ANY_BAY, Plan, of_plan, slope_slots
from escuadra.core.visit.readings import ReadingsByEpoch
from escuadra.core.visit.slots import Measured, Slot

BESIDE_TYRE_MM = 150.0
"""How far outside a tyre's middle the staff stands."""
U_BESIDE_MM = 0.5
"""Of the floor beside a tyre against the floor under it, one sigma."""
U_BEAM_PER_MM = 0.0003
"""How far a level's beam may lean that was not tested from both ends, one sigma."""
MOST_STAFF_MM = 5_000.0
UP_TO = ("left", "right")


@of_plan
def six_slots(plan: Plan) -> tuple[Slot, ...]:
    """Where the six heights are read; none where they would not span what the sheet needs, or on a rack."""
    return tuple(_slot(point) for point in six_points(plan))


def _slot(point: SurveyPoint) -> Slot:
    end = UP_TO[point.y < 0]
    return Slot(
        id=f"staff.{point.id}",
        which=point.id if point.id in CORNERS else end,
        label=said("six.beside_tyre", corner=Noun(f"wheel.{point.id}"))
        if point.id in CORNERS
        else said(f"six.beside_target.{end}"),
        quantity=Quantity(dimension="length", unit="mm", low=0, high=MOST_STAFF_MM),
        aspects=frozenset({"floor"}),
        reads="staff",
        optional=True,
        hint=said("six.where", x=exact(Plain, round(point.x)), y=exact(Plain, round(abs(point.y)))),
    )


def six_points(plan: Plan) -> list[SurveyPoint]:
    """The six places, vehicle axes; a target's carry how far ahead they are, since another sheet's are elsewhere."""
    places = target_places(plan.procedure, plan.vehicle)
    contacts = {corner: plan.vehicle.contact(corner) for corner in CORNERS}
    out = max(abs(y) for _, y in contacts.values()) + BESIDE_TYRE_MM
    reach = max(out, plan.frame.beam_length / 2)
    ahead = max(place.x for place in places)
    axles = [x for x, _ in contacts.values()]
    inside = min(place.x for place in places) >= min(axles) and ahead > max(axles)
    if (plan.bay is not None and plan.bay.rack is not None) or not inside:
        return []
    if any(abs(place.y) > out for place in places):
        return []
    tyres = [SurveyPoint(id=c, x=x, y=aside(c) * out) for c, (x, _) in contacts.items()]
    ends = zip(UP_TO, (reach, -reach), strict=True)
    return [*tyres, *(SurveyPoint(id=f"ahead{round(ahead)}.{side}", x=ahead, y=y) for side, y in ends)]


def begun(plan: Plan, state: State) -> bool:
    """Somebody read one of the six, and no slope was read instead."""
    if any(state.live(slot.id) for slot in slope_slots(plan)):
        return False
    return any(state.live(slot.id) for slot in six_slots(plan))


def on_six_heights(plan: Plan, state: State) -> Plan:
    """The plan with the floor as the six heights tell it, once all were read and nothing spoiled them since."""
    if plan.standing is not None or not begun(plan, state):
        return plan
    epochs = ReadingsByEpoch(state, plan)
    read = [epochs.now(slot) for slot in six_slots(plan)]
    if any(found is None for found in read):
        return plan
    entry = max((e for slot in six_slots(plan) for e in state.live(slot.id)), key=lambda e: e.seq)
    found = tuple(each for each in read if each is not None)
    return _standing(found, datetime.fromtimestamp(entry.at / 1000, UTC).date().isoformat(), entry.person.name, plan)


@of_plan
def _standing(read: tuple[Measured, ...], day: str, person: str, plan: Plan) -> Plan:
    """One plan for the same heights, so that what was worked out for it is found again."""
    points = six_points(plan)
    survey = Survey.read(
        {
            "bay": (plan.bay or ANY_BAY).name,
            "taken_on": day,
            "valid_until": day,
            "person": person,
            "instrument": read[0].tool_name,
            "u": max(found.u for found in read),
            "points": points,
            "readings": [SurveyReading(point=p.id, staff=f.value) for p, f in zip(points, read, strict=True)],
        }
    )
    z = -np.array([found.value for found in read])
    ground = Ground(
        survey, Levelled(points, z, _covariance(points, read), [], [], None), between=(plan.bay or ANY_BAY).u_place_mm
    )
    try:
        standing = stand(plan.bay or ANY_BAY, Place(x=0, y=0), ground, plan.vehicle, plan.procedure)
    except BadInput:
        return plan
    return replace(plan, standing=standing, on_the_spot=True)


def _covariance(points: list[SurveyPoint], read: tuple[Measured, ...]) -> np.ndarray:
    """(6, 6) of the heights, mm²: each reading's own, and a beam whose plane leans either way.

    What one instrument adds to all of them leaves the floor's shape alone; with several it does not.
    """
    xy = np.array([(point.x, point.y) for point in points])
    xy = xy - xy.mean(axis=0)
    beside = np.array([U_BESIDE_MM if point.id in CORNERS else 0.0 for point in points])
    alone = len({found.tool for found in read}) == 1
    own = np.array([found.figures.u_random if alone else found.u for found in read]) ** 2 + beside**2
    return np.asarray(np.diag(own) + U_BEAM_PER_MM**2 * (xy @ xy.T))
