"""The bays of a garage: their sheets, their floor surveys, and where vehicles can stand on them.

A bay's sheet and a closed survey are immutable by the hash of their content and stay as jobs used them; a survey in
the making is an append-only list of entries.
"""

import hashlib
import json
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache
from typing import Any

from escuadra.core.bay import Bay, Place
from escuadra.core.errors import BadInput, Conflict
from escuadra.core.ground import Ground, ground
from escuadra.core.house import survey_stream
from escuadra.core.job.events import Pinned
from escuadra.core.parking import Lot, Parking, fits, park
from escuadra.core.procedure import Procedure
from escuadra.core.profiles import VehicleModel
from escuadra.core.quantities import Quantity, Question, parse, understand
from escuadra.core.room import STEP_MM
from escuadra.core.stakeout import Control, StakedMark, StakeoutInput, StakePoint, StakeTape, stakeout
from escuadra.core.stance import CORNERS
from escuadra.core.standing import Standing, said_place, stand, target_places
from escuadra.core.stream import Person, canonical
from escuadra.core.survey import Survey, SurveyPoint, SurveyReading, from_csv, grid
from escuadra.core.survey_log import (
    Begun,
    Closed,
    Draft,
    FileRead,
    PointRead,
    Stationed,
    TakenBack,
    fold_survey,
)
from escuadra.jobs.forms import keyed
from escuadra.store import Store
from escuadra.store.database import SurveyRow

SurveySaid = Begun | PointRead | FileRead | Stationed | TakenBack
VALID_DAYS = 365
"""How long a survey counts where nobody says otherwise."""
STAFF = Quantity(dimension="length", unit="mm", low=50, high=5000)
HEIGHT = Quantity(dimension="length", unit="mm", low=-1500, high=1500)
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

    @staticmethod
    def of(survey: Survey) -> Ground:
        """The surface that readings in the making give so far."""
        return _ground(survey.model_dump_json())


@lru_cache(maxsize=64)
def _ground(text: str, triangles: str | None = None) -> Ground:
    """The surface of a survey's canonical text (over triangles kept as JSON), kept while it is looked at."""
    return ground(Survey.model_validate_json(text), json.loads(triangles) if triangles else None)


class Floors:
    """Bays and surveys on a store."""

    def __init__(self, store: Store, clock: Callable[[], int], person: Callable[[str], Person]) -> None:
        self.store, self.clock, self.person = store, clock, person
        self._parked: dict[str, tuple[Lot, Parking]] = {}
        self._rooms: dict[str, str] = {}

    def _pin(self, kind: str, id: str, content: Any) -> str:
        text = canonical(content.model_dump(mode="json"))
        digest = hashlib.sha256(text.encode()).hexdigest()
        self.store.pin(digest, kind, id, 1, text)
        return digest

    def _text(self, digest: str, what: str) -> str:
        text = self.store.pinned(digest)
        if text is None:
            raise BadInput(what, digest, "one that was kept; it is missing")
        return text

    # --- bays

    def bay(self, name: str) -> tuple[Bay | None, str | None]:
        """A bay's present sheet and its hash; nothing while nobody has drawn it. Raises for an unknown bay."""
        digest = self.store.bay_sheet(name)
        return (Bay.model_validate_json(self._text(digest, "bay")), digest) if digest else (None, None)

    def keep_bay(self, bay: Bay, person: str, base: str | None) -> str:
        """A new revision of a bay's sheet; refused where another was kept since ``base``."""
        who = self.person(person)
        self.store.add_bay(bay.name, who)
        digest = self._pin("bay", bay.name, bay)
        if not self.store.keep_bay(bay.name, digest, base, who):
            raise Conflict("This bay was changed by others since you looked. Look again, then change it.")
        return digest

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
            raise BadInput("survey", id, "a survey of this garage")
        return found

    def closed(self, id: str) -> Surveyed:
        """A closed survey; raises ``BadInput`` for one still in the making."""
        row = self.row(id)
        if row.sheet is None:
            raise BadInput("survey", id, "a survey that was closed")
        return Surveyed(row, row.sheet, self._surface(row.sheet))

    def _surface(self, digest: str) -> Ground:
        """The surface of a pinned survey, over the triangles that were kept when it was closed."""
        return _ground(self._text(digest, "survey"), self.store.pinned(f"triangles-{digest}"))

    def newest(self, bay: str) -> Surveyed | None:
        """The newest closed survey of a bay."""
        rows = [row for row in self.surveys(bay) if row.sheet]
        return self.closed(rows[0].id) if rows else None

    def draft(self, id: str) -> Draft:
        """A survey as its entries leave it."""
        return fold_survey(self.store.events(survey_stream(self.row(id).id)))

    def _append(self, id: str, person: str, client_id: str, said: SurveySaid) -> Draft:
        keyed(client_id)
        if self.row(id).sheet is not None:
            raise Conflict("This survey is closed: it stays as it was. Begin another.")
        self.store.append(survey_stream(id), client_id, said, self.person(person))
        return self.draft(id)

    def begin(self, begun: Begun, person: str, client_id: str) -> str:
        """Begin a survey; returns its id."""
        keyed(client_id)
        self.person(person)
        self.store.bay_sheet(begun.bay)
        if begun.valid_until < begun.taken_on:
            raise BadInput("valid_until", begun.valid_until.isoformat(), f"a day from {begun.taken_on} on")
        id = uuid.uuid5(uuid.NAMESPACE_OID, client_id).hex[:12]
        self.store.append(survey_stream(id), client_id, begun, self.person(person))
        return id

    def begin_on_grid(self, bay: str, step: float, margin: float, person: str, client_id: str, **more: Any) -> str:
        """Begin a survey on a grid that fills the bay's length and width."""
        sheet, _ = self.bay(bay)
        if sheet is None:
            raise BadInput("bay", bay, "a bay whose length and width were typed")
        points = [_on_its_surface(point, sheet) for point in grid(sheet.length, sheet.width, step, margin)]
        return self.begin(Begun.read({"bay": bay, "points": points, **more}), person, client_id)

    def begin_from_csv(self, bay: str, text: str, person: str, client_id: str, **more: Any) -> str:
        """Begin a survey from a file that names its points, and enter its figures."""
        points, readings = from_csv(text)
        reads = "height" if any(reading.height is not None for reading in readings) else "staff"
        begun = Begun.read({"bay": bay, "points": points, **more, "reads": reads})
        self._fitting(begun, readings)
        id = self.begin(begun, person, client_id)
        if readings:
            self._append(id, person, f"{client_id}-figures", FileRead(readings=readings))
        return id

    def begin_from_json(self, text: str, person: str, client_id: str) -> str:
        """Begin a survey from a file of the published schema, and enter its figures."""
        try:
            survey = Survey.model_validate_json(text)
        except ValueError as cause:
            raise BadInput("json", str(cause).splitlines()[0], "a survey as the published schema says") from cause
        reads = "height" if any(reading.height is not None for reading in survey.readings) else "staff"
        fields = survey.model_dump(include={"bay", "taken_on", "valid_until", "instrument", "u", "note"})
        id = self.begin(Begun.read({**fields, "points": survey.points, "reads": reads}), person, client_id)
        self._append(id, person, f"{client_id}-figures", FileRead(readings=survey.readings))
        return id

    def paste(self, id: str, text: str, person: str, client_id: str) -> Draft:
        """Enter the figures of a file for the points that the survey has."""
        begun = self.draft(id).begun
        points, readings = from_csv(text)
        known = {point.id: point for point in begun.points}
        strange = next((p.id for p in points if p.id not in known), None)
        if strange is not None:
            raise BadInput("point", strange, "points of this survey; begin another for other points")
        self._fitting(begun, readings)
        return self._append(id, person, client_id, FileRead(readings=readings))

    def _fitting(self, begun: Begun, readings: list[SurveyReading]) -> None:
        mixed = next((r.point for r in readings if getattr(r, begun.reads) is None), None)
        if mixed is not None:
            raise BadInput(begun.reads, mixed, f"a {begun.reads} at every point: this survey reads {begun.reads}s")

    def read(
        self,
        id: str,
        point: str,
        typed: str,
        person: str,
        client_id: str,
        setup: str = "1",
        replaces: bool = False,
        sure: bool = False,
    ) -> Draft | Question:
        """Enter a figure as typed; asks where it is implausible, unless ``sure``."""
        draft = self.draft(id)
        if all(p.id != point for p in draft.begun.points):
            raise BadInput("point", point or "nothing", "a point of this survey")
        if not 0 < len(setup) <= 20:
            raise BadInput("setup", setup or "nothing", "a name of up to 20 characters for where the level stands")
        wide = Quantity(dimension="length", unit="mm", low=-20_000, high=20_000)
        asked = wide if sure else (STAFF if draft.begun.reads == "staff" else HEIGHT)
        found = understand(typed, asked)
        if isinstance(found, Question):
            return found
        said = PointRead(point=point, setup=setup, typed=typed[:60], value=found.value)
        if replaces:
            for figure in draft.at(point):
                if figure.reading.setup == setup and figure.typed != "file":
                    self._append(id, person, f"{client_id}-{figure.entry}", TakenBack(entry=figure.entry))
        return self._append(id, person, client_id, said)

    def table(self, id: str, typed: dict[str, str], person: str, client_id: str, setup: str = "1") -> Draft:
        """Enter a table of figures, point by point; nothing is entered where one of them is refused or implausible."""
        reads, readings = self.draft(id).begun.reads, []
        for point, text in typed.items():
            if not text.strip():
                continue
            try:
                found = understand(text, STAFF if reads == "staff" else HEIGHT)
            except BadInput as cause:
                raise BadInput(point, f"{text} at {point}", cause.accepted) from cause
            if isinstance(found, Question):
                meant = " or ".join(choice.text for choice in found.choices)
                raise BadInput(point, f"{text} at {point}", f"a plausible figure with its unit: {meant}")
            readings.append(SurveyReading.read({"point": point, "setup": setup, reads: found.value}))
        known = {p.id for p in self.draft(id).begun.points}
        strange = next((r.point for r in readings if r.point not in known), None)
        if strange is not None or not readings:
            raise BadInput("point", strange or "nothing", "figures at points of this survey")
        return self._append(id, person, client_id, FileRead(readings=readings))

    def station(self, id: str, setup: str, x: str, y: str, person: str, client_id: str) -> Draft:
        """Note where the level stands in a set-up, as typed in bay axes."""
        places = []
        for name, text in (("x", x), ("y", y)):
            meanings = parse(text, "length", "mm")
            if len(meanings) > 1:
                raise BadInput(name, text, " or ".join(m.text for m in meanings) + ", typed with its unit")
            places.append(meanings[0].value)
        return self._append(id, person, client_id, Stationed(setup=setup.strip() or "1", x=places[0], y=places[1]))

    def take_back(self, id: str, person: str, client_id: str) -> Draft:
        """Take back one's own last figure."""
        own = [figure.entry for figure in self.draft(id).figures if figure.person.id == person]
        if not own:
            raise BadInput("undo", "nothing", "a figure of your own that still counts")
        return self._append(id, person, client_id, TakenBack(entry=max(own)))

    def close(self, id: str, person: str) -> Surveyed:
        """Close a survey: what was read becomes a sheet that stays; raises ``BadInput`` where it spans no area."""
        who = self.person(person)
        if self.row(id).sheet is None:
            survey = self.draft(id).survey()
            made = ground(survey)
            assert made.meshes
            digest = self._pin("survey", survey.bay, survey)
            self.store.pin(f"triangles-{digest}", "triangles", survey.bay, 1, canonical(made.triangles))
            self.store.append(survey_stream(id), "closed", Closed(sheet=digest), who)
        return self.closed(id)

    # --- standing and parking

    def standing(
        self, pins: list[Pinned], place: Place, vehicle: VehicleModel, procedure: Procedure
    ) -> tuple[Bay | None, Standing | None, str]:
        """The bay and the standing that pins and a place give, and why there is none."""
        kept = {pin.kind: pin.hash for pin in pins if pin.kind in ("bay", "survey")}
        bay = Bay.model_validate_json(self._text(kept["bay"], "bay")) if "bay" in kept else None
        if bay is None or "survey" not in kept:
            return bay, None, "This bay has no survey."
        try:
            return bay, stand(bay, place, self._surface(kept["survey"]), vehicle, procedure), ""
        except BadInput as cause:
            return bay, None, f"No survey of this place: {cause.given}."

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
            raise BadInput("bay", bay, "a bay whose length and width were typed")
        surveyed = surveyed or self.newest(bay)
        asked = [sheet, vehicle, *procedures]
        key = canonical([*(part.model_dump(mode="json") for part in asked), surveyed.hash if surveyed else "", step])
        if key not in self._parked:
            if len(self._parked) >= MOST_KEPT:
                self._parked.clear()
            lot = Lot(sheet, vehicle, tuple(procedures), step, surveyed.ground if surveyed else None)
            self._parked[key] = (lot, park(lot))
        return self._parked[key]

    def no_room(self, bay: Bay, place: Place | None, vehicle: VehicleModel, procedure: Procedure) -> str:
        """Why a bay cannot take a procedure at all, or a place of it does not do; empty where it does."""
        if place is not None:
            refusals = Lot(bay, vehicle, (procedure,)).refusals(place)
            return f"the chosen place does not do: {refusals[0].text}" if refusals else ""
        key = canonical([part.model_dump(mode="json") for part in (bay, vehicle, procedure)])
        if key not in self._rooms:
            lot = Lot(bay, vehicle, (procedure,), step=ROUGH_STEP_MM)
            directions = () if fits(lot) else park(lot, keep=1).directions
            short = min((r for way in directions for r in way.refusals[:1]), key=lambda r: r.short_mm, default=None)
            self._rooms[key] = f"no room in this bay: {short.text}" if short is not None else ""
        return self._rooms[key]

    def marks(self, bay: Bay, place: Place, vehicle: VehicleModel, procedures: list[Procedure]) -> list[StakedMark]:
        """How to find the tyres' places and the targets on the floor with two tapes from the bay's fixed points."""
        points = [
            StakePoint(id=f"{c} tyre", x=at[0], y=at[1]) for c in CORNERS for at in [place.at(*vehicle.contact(c))]
        ]
        for procedure in procedures:
            for target in target_places(procedure, vehicle):
                x, y = place.at(target.x, target.y)
                points.append(StakePoint(id=f"{procedure.id}: {said_place(target).removeprefix('the ')}", x=x, y=y))
        controls = {p.id: Control(x=p.x, y=p.y, u=p.u) for p in bay.fixed_points}
        return stakeout(StakeoutInput.read({"controls": controls, "points": points, "tape": TAPE})).marks


def _on_its_surface(point: SurveyPoint, bay: Bay) -> SurveyPoint:
    """A grid point, on the runway where it falls on one."""
    rack = bay.rack
    if rack is None or not rack.x_from <= point.x <= rack.x_to:
        return point
    on_one = any(abs(point.y - y) <= rack.width / 2 for y in (rack.left_y, rack.right_y))
    return point.model_copy(update={"surface": "runway"}) if on_one else point


def valid_from(day: date) -> date:
    """Until when a survey of a day counts where nobody says otherwise."""
    return day + timedelta(days=VALID_DAYS)
