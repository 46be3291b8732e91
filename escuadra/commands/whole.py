"""What is said of a visit as a whole: what was done, which calibrations it has, what is corrected, called off."""

from abc import abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from escuadra.catalogue import Entry
from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.entries import reasoned
from escuadra.commands.forms import Whole
from escuadra.commands.house import House
from escuadra.commands.vehicle import reencoded
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import whole_number
from escuadra.core.base.said import Name, nouns, said
from escuadra.core.base.stream import Part
from escuadra.core.house import visit_stream
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.vehicle.scope import Reason
from escuadra.core.visit.log.events import BodyBrought, CalibrationAdded, Photographed, Pinned, VisitPayload
from escuadra.core.visit.log.reducer import VEHICLE, body, calibration
from escuadra.core.visit.log.whole import (
    CORRECTABLE,
    BodyCorrected,
    CalledOff,
    Corrected,
    LeftOut,
    Ordered,
    TakenUp,
    VariantAnswered,
    WorkTold,
)
from escuadra.core.visit.needed import NOTHING_TOLD, scoped
from escuadra.store import Content, Log

Told = tuple[Part, VisitPayload]
LABEL = "label"
"""Where a photo of the label that tells the variant is kept."""


@dataclass(frozen=True)
class WholeVisitCommand(Command[Any]):
    """Something said of a visit that needs no calibration's sheet."""

    visit: str

    @property
    def when_called_off(self) -> bool:
        """It is said of a visit that was called off."""
        return False

    @property
    def when_released(self) -> bool:
        """It is said of a visit that was released."""
        return False

    @abstractmethod
    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """What is said, of which part, in its order; raises where it is refused."""

    def pinned(self, context: Context) -> list[Entry]:
        """Catalogue entries that are pinned with it."""
        return []

    def beside(self, context: Context) -> Callable[[Log], None] | None:
        """What is written with it outside every stream; nothing."""
        return None

    def stream(self, context: Context) -> str:
        """The visit's."""
        return visit_stream(self.visit)

    def decide(self, context: Context) -> Decision[Any]:
        """What is said, upon the visit as it is now; raises ``Conflict`` for one that was called off."""
        whole = context.house.whole(self.visit)
        if whole.state.called_off is not None and not self.when_called_off:
            raise Conflict(said("jobs.whole.called_off"))
        if whole.state.released is not None and not self.when_released:
            raise Conflict(said("jobs.whole.released"))
        appends = [
            Append(self.stream(context), whole.row.count, one, part, f"+{k}" if k else "")
            for k, (part, one) in enumerate(self.say(context, whole))
        ]
        keeps = [content(entry) for entry in self.pinned(context)]
        return Decision(appends, keeps=keeps, beside=self.beside(context), seen=whole)

    def told(self, context: Context, committed: Committed) -> Whole:
        """The visit as it is then."""
        return context.house.whole(self.visit)


@dataclass(frozen=True)
class TellWork(WholeVisitCommand):
    """What was done to the vehicle besides, what its codes name, what is asked; and what was told wrongly.

    ``complaint``: in place of the one that was told; nothing: that stays.
    """

    more: WorkTold = NOTHING_TOLD
    less: WorkTold = NOTHING_TOLD
    complaint: str | None = None

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """All that is told now, of the vehicle; raises ``BadInput`` for a part or a sensor that the model lacks."""
        model, told = context.house.model_of(whole), whole.state.work or NOTHING_TOLD
        stray = next((done.part for done in self.more.done if done.part not in model.areas), None)
        if stray is not None:
            raise BadInput("part", stray, said("wants.part_model_names", names=nouns(model.areas, "comma")))

        def kept(name: str) -> list[Any]:
            known, more, less = (getattr(one, name) for one in (told, self.more, self.less))
            return [one for one in dict.fromkeys([*known, *more]) if one not in less]

        complaint = told.complaint if self.complaint is None else self.complaint.strip()
        lists = {name: kept(name) for name in ("done", "codes", "asked")}
        now = WorkTold.read({**lists, "complaint": complaint})
        scoped(model, now)
        return [] if told == now else [(VEHICLE, now)]


@dataclass(frozen=True)
class AnswerVariant(WholeVisitCommand):
    """A question that tells variants apart is answered, and how that was verified."""

    question: str
    option: str
    by: str

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The answer, of the vehicle; raises ``BadInput`` for what the model does not ask."""
        asked = {known.question.id: known.question for known in context.house.gate(whole).known}
        if self.question not in asked:
            raise BadInput("question", self.question, said("wants.one_of", names=nouns(asked, "comma")))
        if asked[self.question].option(self.option) is None:
            names = nouns((Name(option.name) for option in asked[self.question].options), "comma")
            raise BadInput("option", self.option, said("wants.one_of", names=names))
        told = {"question": self.question, "option": self.option, "by": self.by}
        return [(VEHICLE, VariantAnswered.read(told))]


@dataclass(frozen=True)
class PhotographVehicle(WholeVisitCommand):
    """A photo kept with the visit as a whole, such as of the label that tells the variant."""

    slot: str
    name: str
    content: bytes = field(repr=False)

    @property
    def when_released(self) -> bool:
        """The display, once a drive that was open is completed."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """Which file it is, of the vehicle."""
        plain, width, height = reencoded(self.content)
        digest = context.house.files.put(plain)
        return [
            (VEHICLE, Photographed(slot=self.slot, digest=digest, width=width, height=height, name=self.name[:120]))
        ]


@dataclass(frozen=True)
class AddCalibration(WholeVisitCommand):
    """A sheet is to be worked through in the visit, with the bodies that it uses by their ids there.

    ``bodies``: none: the visit's frame, and whatever else the sheet's targets stand on.
    """

    procedure: str
    bodies: tuple[str, ...] = ()
    sensors: tuple[str, ...] = field(default=(), kw_only=True)

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """A calibration of the next number, why, and what has to be brought for it."""
        procedure = context.house.catalogue.get("procedure", self.procedure).content
        vehicle = context.house.model_of(whole)
        if procedure.vehicle != vehicle.id:
            raise BadInput("procedure", self.procedure, said("wants.sheet_of_vehicle", vehicle=vehicle.name))
        why = context.house.gate(whole).shuts(procedure)
        if why is not None:
            raise Conflict(why)
        for id in self.bodies:
            whole.visit.body(id)
        because = {
            one.sensor.id: one.because
            for one in scoped(vehicle, whole.state.work)
            if self.procedure in one.sensor.sheets
        }
        stray = next((id for id in self.sensors if id not in because), None)
        if stray is not None:
            raise BadInput("sensor", stray, said("wants.one_fitted_sensors", names=nouns(because, "comma")))
        sensors = self.sensors or tuple(id for id, reasons in because.items() if reasons)
        reasons = sorted({reason for id in sensors for reason in because[id]}, key=lambda reason: reason.text)
        bodies = list(self.bodies) or ["frame", *carriers(procedure)]
        brought = [id for id in bodies if id not in whole.visit.bodies]
        number = str(len(whole.visit.calibrations) + 1)
        return [
            *((body(id), BodyBrought(carrier=id, pins=[])) for id in brought),
            (calibration(number), calibrated(context.house, self.procedure, bodies, sensors, reasons)),
        ]

    def pinned(self, context: Context) -> list[Entry]:
        """The sheet and its targets."""
        return entries_of(context.house, self.procedure)


@dataclass(frozen=True)
class LeaveOut(WholeVisitCommand):
    """A calibration is not done, and why."""

    calibration: str
    reason: str

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """That it is left out; raises ``Conflict`` for one that is signed."""
        if whole.part(self.calibration).signed is not None:
            raise Conflict(said("jobs.whole.signed_cannot_be_left_out"))
        return [(calibration(self.calibration), LeftOut(reason=reasoned(self.reason)))]


@dataclass(frozen=True)
class TakeUp(WholeVisitCommand):
    """A calibration that was left out is taken up again; none named: the visit that was called off."""

    reason: str
    calibration: str = ""

    @property
    def when_called_off(self) -> bool:
        """Only for the visit itself."""
        return not self.calibration

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """That it is taken up again."""
        of = calibration(self.calibration) if self.calibration else VEHICLE
        state = whole.part(self.calibration) if self.calibration else whole.state
        if state.left_out is None and state.called_off is None:
            raise Conflict(said("jobs.whole.nothing_to_take_up"))
        return [(of, TakenUp(reason=reasoned(self.reason)))]


@dataclass(frozen=True)
class Reorder(WholeVisitCommand):
    """In which order the calibrations are done."""

    order: tuple[str, ...]
    reason: str

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The order; raises ``BadInput`` where it does not name each once."""
        known = whole.visit.calibrations
        if sorted(self.order) != sorted(known):
            raise BadInput(
                "order", ", ".join(self.order), said("wants.each_calibration_once", names=nouns(known, "comma"))
            )
        return [(VEHICLE, Ordered(order=list(self.order), reason=reasoned(self.reason)))]


@dataclass(frozen=True)
class Correct(WholeVisitCommand):
    """What was written down wrongly when the vehicle was taken in; ``frame`` among the fields."""

    what: str
    value: str
    reason: str

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The correction, with what it was before; raises ``BadInput``, and ``Conflict`` where something is signed."""
        if any(whole.part(id).signed is not None for id in whole.visit.calibrations):
            raise Conflict(said("jobs.whole.signed_correct_after_reopening"))
        reason, value, house = reasoned(self.reason), self.value.strip(), context.house
        if self.what == "frame":
            before = whole.visit.body("frame").bodies[0].said.pins[0]
            pin = pinned(house.catalogue.get("frame", value))
            return [(body("frame"), BodyCorrected(before=before.id, pins=[pin], reason=reason))]
        if self.what not in CORRECTABLE:
            names = nouns([*CORRECTABLE, "frame"], "comma")
            raise BadInput("what", self.what, said("wants.one_of", names=names))
        if self.what == "odometer_km":
            value = str(whole_number(value, "odometer_km", said("routes.new_job.whole_kilometres_such_84310_or")))
        if self.what == "bay" and value not in house.store.bays():
            raise BadInput("bay", value, said("wants.one_of", names=nouns(house.store.bays(), "comma")))
        if not value or len(value) > 60:
            raise BadInput(self.what, value, said("wants.what_it_really_is"))
        job = whole.job
        told = {"field": self.what, "before": str(getattr(job, self.what) or ""), "value": value, "reason": reason}
        return [(VEHICLE, Corrected.read({**told, "pins": bay_pins(house, value) if self.what == "bay" else []}))]

    def pinned(self, context: Context) -> list[Entry]:
        """The frame, where that is what was wrong."""
        return [context.house.catalogue.get("frame", self.value.strip())] if self.what == "frame" else []


@dataclass(frozen=True)
class CallOff(WholeVisitCommand):
    """The visit ends without its calibrations."""

    reason: str

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """That it is called off."""
        return [(VEHICLE, CalledOff(reason=reasoned(self.reason)))]


def calibrated(
    house: House, id: str, bodies: Sequence[str], sensors: Sequence[str] = (), because: Sequence[Reason] = ()
) -> CalibrationAdded:
    """A calibration by a sheet, with all that it is judged by."""
    pins = [pinned(entry) for entry in entries_of(house, id)]
    return CalibrationAdded(bodies=list(bodies), pins=pins, sensors=list(sensors), because=list(because))


def entries_of(house: House, id: str) -> list[Entry]:
    """A procedure's sheet, its targets and its stands."""
    procedure = house.catalogue.get("procedure", id)
    named = [(kind, name) for kind, name in procedure.content.names if kind != "vehicle"]
    return [procedure, *(house.catalogue.get(kind, name) for kind, name in named)]


def carriers(procedure: Procedure) -> list[str]:
    """What its targets stand on besides the frame."""
    return list(dict.fromkeys(station.carrier for station in procedure.stations if station.own_place))


def bay_pins(house: House, bay: str) -> list[Pinned]:
    """The bay as it is drawn now."""
    return [pin for pin in house.floors.pins(bay) if pin.kind == "bay"] if bay in house.store.bays() else []


def pinned(entry: Entry) -> Pinned:
    """A catalogue entry by its content's hash."""
    return Pinned(kind=entry.kind, id=entry.id, revision=entry.revision, hash=entry.hash)


def content(entry: Entry) -> Content:
    """A catalogue entry as it is kept once it is pinned."""
    return Content(entry.hash, entry.kind, entry.id, entry.revision, entry.text)
