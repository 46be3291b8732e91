"""The bays of a garage: their sheets, their floor surveys, and where vehicles can stand on them.

A bay's sheet and a closed survey are immutable by the hash of their content and stay as jobs used them; a survey in
the making is an append-only list of entries.
"""

import json
from dataclasses import dataclass
from functools import lru_cache

from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Said, said
from escuadra.core.base.stream import canonical
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.bay.ground import Ground, among, ground
from escuadra.core.bay.parking import Lot, Parking, fits, lacking, park
from escuadra.core.bay.room import STEP_MM
from escuadra.core.bay.standing import Standing, stand, target_places
from escuadra.core.bay.survey import Survey, levelled
from escuadra.core.bay.survey_log import (
    Draft,
    fold_survey,
)
from escuadra.core.bay.turning import lots, part_of, turned_before
from escuadra.core.geodesy.stakeout import Control, StakedMark, StakeoutInput, StakePoint, StakeTape, stakeout
from escuadra.core.house import survey_stream
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.log.events import Pinned
from escuadra.core.visit.log.state import State
from escuadra.store import Store
from escuadra.store.repositories.surveys import SurveyRow

ROUGH_STEP_MM = 200.0
MOST_KEPT = 64
"""Searches that are kept while the same bay, survey and sheets are looked at again."""
TAPE = StakeTape(constant=0.7, ppm=60)
"""A steel tape on the floor, one sigma."""


@dataclass(frozen=True)
class Surveyed:
    """A closed survey: its row, its pin, and the surface that it gives."""

    row: SurveyRow
    hash: str
    ground: Ground

    @property
    def survey(self) -> Survey:
        """What was read."""
        return self.ground.survey


@lru_cache(maxsize=64)
def _ground(text: str, triangles: str | None = None) -> Ground:
    """The surface of a survey's canonical text (over triangles kept as JSON), kept while it is looked at."""
    return ground(Survey.model_validate_json(text), json.loads(triangles) if triangles else None)


def part_at_hand(procedure: Procedure, turn: str, state: State) -> Procedure:
    """What of a sheet needs room now: all of it, or the lot of its stations that is run before or after a turn."""
    if not turn:
        return procedure
    first, rest = lots(procedure, turn)
    ran = {run.said.station for run in state.ran}
    return part_of(procedure, rest if ran >= {*first} else first)


class Floors:
    """Bays and surveys on a store."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._parked: dict[str, tuple[Lot, Parking]] = {}
        self._rooms: dict[str, tuple[Said | None, str]] = {}

    def _text(self, digest: str, what: str) -> str:
        text = self.store.pinned(digest)
        if text is None:
            raise BadInput(what, digest, said("wants.one_kept_missing"))
        return text

    # --- bays

    def bay(self, name: str) -> tuple[Bay | None, str | None]:
        """A bay's present sheet and its hash; nothing while nobody has drawn it. Raises for an unknown bay."""
        digest = self.store.bay_sheet(name)
        return (Bay.model_validate_json(self._text(digest, "bay")), digest) if digest else (None, None)

    # --- surveys

    def surveys(self, bay: str) -> list[SurveyRow]:
        """A bay's surveys, the newest day first, those in the making before all."""
        rows = [row for row in self.store.surveys() if row.bay == bay]
        return sorted(rows, key=lambda row: (row.sheet is None, self._day(row)), reverse=True)

    def _day(self, row: SurveyRow) -> str:
        return self.closed(row.id).survey.taken_on.isoformat() if row.sheet else ""

    def row(self, id: str) -> SurveyRow:
        """A survey's row; raises ``BadInput`` for an unknown one."""
        found = next((row for row in self.store.surveys() if row.id == id), None)
        if found is None:
            raise BadInput("survey", id, said("wants.survey_garage"))
        return found

    def closed(self, id: str) -> Surveyed:
        """A closed survey; raises ``BadInput`` for one still in the making."""
        row = self.row(id)
        if row.sheet is None:
            raise BadInput("survey", id, said("wants.survey_closed"))
        return Surveyed(row, row.sheet, self._surface(row.sheet))

    def _surface(self, digest: str) -> Ground:
        """The surface of a pinned survey, over the triangles that were kept when it was closed."""
        return _ground(self._text(digest, "survey"), self.store.pinned(f"triangles-{digest}"))

    def newest(self, bay: str) -> Surveyed | None:
        """The newest closed survey of a bay."""
        rows = [row for row in self.surveys(bay) if row.sheet]
        return self.closed(rows[0].id) if rows else None

    def so_far(self, id: str, draft: Draft) -> Ground:
        """The surface that a survey in the making gives so far; raises ``BadInput`` where it gives none yet."""
        kept = self.store.pinned(f"triangles-{id}")
        assert kept is not None
        survey = draft.survey()
        read = levelled(survey).points
        return _ground(survey.model_dump_json(), canonical(among(json.loads(kept), draft.begun.points, read)))

    def draft(self, id: str) -> Draft:
        """A survey as its entries leave it."""
        return fold_survey(self.store.events(survey_stream(self.row(id).id)))

    # --- standing and parking

    def pinned_bay(self, pins: list[Pinned]) -> Bay | None:
        """The bay's sheet as a job pinned it."""
        digest = next((pin.hash for pin in pins if pin.kind == "bay"), None)
        return Bay.model_validate_json(self._text(digest, "bay")) if digest is not None else None

    def standing(
        self, pins: list[Pinned], place: Place, vehicle: VehicleModel, procedure: Procedure
    ) -> tuple[Bay | None, Standing | None, Said | None]:
        """The bay and the standing that pins and a place give, and why there is none."""
        kept, bay = {pin.kind: pin.hash for pin in pins if pin.kind == "survey"}, self.pinned_bay(pins)
        if bay is None or "survey" not in kept:
            return bay, None, said("jobs.floors.bay_no_survey")
        try:
            return bay, stand(bay, place, self._surface(kept["survey"]), vehicle, procedure), None
        except BadInput as cause:
            return bay, None, said("jobs.floors.no_survey_place", given=cause.given)

    def pins(self, bay: str) -> list[Pinned]:
        """The present sheet of a bay and its newest survey, as a job pins them."""
        _, digest = self.bay(bay)
        surveyed = self.newest(bay)
        found = [("bay", digest), ("survey", surveyed.hash if surveyed else None)]
        return [Pinned(kind=kind, id=bay, revision=1, hash=h) for kind, h in found if h]

    def park(
        self,
        bay: str,
        vehicle: VehicleModel,
        procedures: list[Procedure],
        surveyed: Surveyed | None = None,
        step: float = STEP_MM,
    ) -> tuple[Lot, Parking]:
        """The search for places in a bay, with a survey or its newest one where there is any."""
        sheet, _ = self.bay(bay)
        if sheet is None:
            raise BadInput("bay", bay, said("wants.bay_whose_length_width_typed"))
        surveyed = surveyed or self.newest(bay)
        asked = [sheet, vehicle, *procedures]
        key = canonical([*(part.model_dump(mode="json") for part in asked), surveyed.hash if surveyed else "", step])
        if key not in self._parked:
            if len(self._parked) >= MOST_KEPT:
                self._parked.clear()
            lot = Lot(sheet, vehicle, tuple(procedures), step, surveyed.ground if surveyed else None)
            self._parked[key] = (lot, park(lot))
        return self._parked[key]

    def no_room(self, bay: Bay, place: Place | None, vehicle: VehicleModel, procedure: Procedure) -> Said | None:
        """Why a bay cannot take a procedure at all, or a place of it does not do; empty where it does."""
        if place is not None:
            refusals = Lot(bay, vehicle, (procedure,)).refusals(place)
            return said("jobs.floors.chosen_place_does_not_do", text=refusals[0].text) if refusals else None
        return self._room(bay, vehicle, procedure)[0]

    def turn_before(self, bay: Bay, vehicle: VehicleModel, procedure: Procedure) -> str:
        """The station before which the vehicle is turned in a bay that has not the room for all; empty elsewhere."""
        return self._room(bay, vehicle, procedure)[1]

    def _room(self, bay: Bay, vehicle: VehicleModel, procedure: Procedure) -> tuple[Said | None, str]:
        key = canonical([part.model_dump(mode="json") for part in (bay, vehicle, procedure)])
        if key not in self._rooms:
            self._rooms[key] = None, ""
            lot = Lot(bay, vehicle, (procedure,), step=ROUGH_STEP_MM)
            if not fits(lot):
                turn = turned_before(procedure, lambda part: fits(Lot(bay, vehicle, (part,), step=ROUGH_STEP_MM)))
                # Where a turn does, nobody asks by how much the bay is short.
                short = lacking(lot) if not turn else None
                why = said("jobs.floors.no_room_bay", text=short.text) if short is not None else None
                self._rooms[key] = why, turn
        return self._rooms[key]

    def marks(self, bay: Bay, place: Place, vehicle: VehicleModel, procedures: list[Procedure]) -> list[StakedMark]:
        """How to find the tyres' places and the targets on the floor with two tapes from the bay's fixed points."""
        points = [
            StakePoint(id=f"tyre.{c}", x=at[0], y=at[1]) for c in CORNERS for at in [place.at(*vehicle.contact(c))]
        ]
        for procedure in procedures:
            for target in target_places(procedure, vehicle):
                x, y = place.at(target.x, target.y)
                points.append(StakePoint(id=f"target.{procedure.id}.{target.id}", x=x, y=y))
        controls = {p.id: Control(x=p.x, y=p.y, u=p.u) for p in bay.fixed_points}
        return stakeout(StakeoutInput.read({"controls": controls, "points": points, "tape": TAPE})).marks
