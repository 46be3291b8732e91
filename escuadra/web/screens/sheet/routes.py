"""The sheet: drawing, run sheet, next move. Every post redraws all of it in one answer."""

from collections.abc import Callable, Container
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup
from sse_starlette import EventSourceResponse
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from escuadra.commands import Asked, Garage, Opened
from escuadra.commands.command import VisitCommand
from escuadra.commands.entries import Answer, Happen, Override, Undo
from escuadra.commands.last_time import PLACES, last_time
from escuadra.commands.memory import Memory
from escuadra.commands.reading import TakeReading
from escuadra.commands.revision import AnswerRevision
from escuadra.commands.running import ConfirmSetup, RunProcedure, TakeResult
from escuadra.commands.signing import Reopen, Sign
from escuadra.commands.vehicle import KINDS, ChangeAsked
from escuadra.core.base.cautions import LASER
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.quantities import OWN_UNIT, Question
from escuadra.core.base.said import Noun, Said, Text, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.instruments.guided import checks_for
from escuadra.core.instruments.instrument import Tool
from escuadra.core.visit.advice.frame import expected, missing_slots
from escuadra.core.visit.body_readings import bodies_of
from escuadra.core.visit.carriers import CARRIERS, carrier_of
from escuadra.core.visit.figures import Differing, differing
from escuadra.core.visit.log.disturbances import HAPPENINGS, Happening
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.places import family
from escuadra.core.visit.log.state import State
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.tool_route import left_behind
from escuadra.core.visit.views import CheckView, SlotView
from escuadra.devices.stand_in import UNITS
from escuadra.drawing import corner_picture, glyph, level_view, plan_view, side_view
from escuadra.reports.record import print_record, render_record
from escuadra.web import forms
from escuadra.web.pages import Addressed, garage_of, person_of, render, said_time, status_of, told
from escuadra.web.screens import screen
from escuadra.web.screens.sheet.link import LINK, offered, on_link, shown_result
from escuadra.words import spoken
from escuadra.words.pages import tell

router = screen("sheet", "/jobs/{job}")
VIEWS = ("plan", "side", "level")
CAUTIONS = {
    "ready": said("routes.sheet.vehicle_chocked_own_wheels_battery"),
    "stance": said("routes.sheet.vehicle_stands_own_wheels_never"),
    "line": LASER,
    "target": said("routes.sheet.brakes_stand_before_target_lifted"),
    "clear": said("routes.sheet.nobody_walks_through_while_runs"),
    "result": said("routes.sheet.result_is_no_promise"),
    "frame": sentences(said("routes.sheet.brakes_stand_before_reading"), LASER),
}
"""The usual caution of each group, on the screen where the work is done."""


@dataclass(frozen=True)
class Trouble:
    """What is shown beside the field: an error or a question, with what was typed."""

    text: Said | None = None
    question: Question | None = None
    typed: str = ""
    word: str = ""
    replaces: bool = False
    check: str = ""
    reason: str = ""
    figure: ChangeAsked | None = None
    device: str = ""
    """Serial of the device that proposed what stands in the field."""
    printout: dict[str, str] | None = None
    tool: str = ""
    """The instrument that was chosen with what was typed."""


def next_place(opened: Opened, check: str, slot: str) -> tuple[str, str]:
    """Check and slot to open: the asked ones, else where the next move points, with the first slot that is missing."""
    sheet = opened.sheet
    view = sheet.check(check) or sheet.check(sheet.next.check) or sheet.checks[0]
    ids = [s.slot.id for s in view.slots]
    if slot in ids:
        return view.check.id, slot
    if sheet.next.check == view.check.id and sheet.next.slot in ids:
        return view.check.id, sheet.next.slot
    missing = missing_slots(view, sheet.epochs)
    return view.check.id, missing[0].slot.id if missing else (ids[0] if ids else "")


def after_entry(opened: Opened, check: str, slot: str) -> tuple[str, str]:
    """Where to go once a slot was entered: the check's next missing slot, else the next move's place."""
    sheet = opened.sheet
    view = sheet.check(check)
    if view is not None:
        ids = [s.slot.id for s in view.slots]
        later = missing_slots(view, sheet.epochs)
        if slot in ids:
            partner = sheet.slots[slot].slot.then
            if partner in ids and not sheet.slots[partner].now:
                return check, partner
            later.sort(key=lambda s: ids.index(s.slot.id) < ids.index(slot))
        if later:
            return check, later[0].slot.id
        # What is off stays open; but what brings a frame to its place is read in one go, whichever check it is of.
        wanted = sheet.check(sheet.next.check) if sheet.next.kind == "read" else None
        in_one_go = view.check.of_pose and wanted is not None and wanted.check.placing
        if view.state in ("out", "undecided") and sheet.next.check != check and not in_one_go:
            return check, slot
    if sheet.next.kind in ("read", "answer") and sheet.next.check:
        return sheet.next.check, sheet.next.slot
    return sheet.next.check or check, "" if sheet.next.check != check else slot


def page(
    request: Request,
    opened: Opened,
    check: str = "",
    slot: str = "",
    trouble: Trouble | None = None,
    status: int = 200,
) -> Response:
    """The sheet in full, or only its changing part where htmx asks for it."""
    garage, sheet = garage_of(request), opened.sheet
    check, slot = next_place(opened, check, slot)
    view_name = request.query_params.get("view") or request.cookies.get("escuadra_view", "plan")
    view_name = view_name if view_name in VIEWS else "plan"
    gaps = request.cookies.get("escuadra_gaps", "on") == "on"
    view = sheet.check(check)
    assert view is not None
    slot_view = sheet.slots.get(slot)
    framed = view.check.group in ("frame", "target")
    whole = view.check.group in ("ready", "stance", "line")
    drawing = _spared(
        sheet,
        lambda: drawn(sheet, view_name, magnify=gaps, whole=whole, slot=slot, check=view),
        Markup('<p class="notice">{}</p>').format(tell("routes.sheet.no_drawing")),
    )
    tools = garage.tools(slot_view.slot) if slot_view else []
    place = f"/jobs/{opened.address}?check={check}&slot={slot}"
    trusts = {t.id: garage.instruments.trusted(t.id) for t in tools}
    doubted = {id: trust.words for id, trust in trusts.items() if not trust.usable}
    chosen = trouble.tool if trouble is not None else ""
    tool = chosen if chosen in {t.id for t in tools} else ""
    tool = tool or _tool(slot_view, sheet.state, tools, doubted, person_of(request))
    partial = request.headers.get("HX-Request") == "true"
    return render(
        request,
        "sheet_body.html" if partial else "sheet.html",
        status=200 if partial else status,
        headers={"HX-Replace-Url": place} if partial else None,
        opened=opened,
        whole=opened.whole,
        tabs=garage.tabs(opened.whole),
        tab=opened.calibration,
        rows=ROWS.on(opened.address, garage.store.setting("time_zone", "UTC")),
        sheet=sheet,
        job=sheet.state.job,
        view=view,
        slot=slot_view,
        replacing=slot_view is not None and sheet.next.replaces and sheet.next.slot == slot_view.slot.id,
        tools=tools,
        tool=tool,
        doubted=doubted,
        unchecked={t.id for t in tools if trusts[t.id].state == "open" and checks_for(t)},
        taken_off=_taken_off(garage, slot_view, tool, sheet.plan.frame.id),
        last_time=_last_time(request, opened, slot_view),
        conditions=next((t for t in tools if t.id == tool), None),
        temperature=f"{sheet.state.warm:g}" if sheet.state.warm is not None else "",
        expected=_spared(sheet, lambda: expected(slot_view.slot, sheet.epochs), None) if slot_view else None,
        line_in_use=_spared(sheet, lambda: _line_in_use(sheet), said("routes.sheet.not_known")),
        drawing=drawing,
        view_name=view_name,
        gaps=gaps,
        trouble=trouble or Trouble(),
        happenings=_happenings(sheet),
        carrier=carrier_of(sheet.plan),
        bodies=bodies_of(sheet.plan),
        cautions=CAUTIONS,
        glyph=glyph(sheet.next, sheet.slots.get(sheet.next.slot)),
        corner=corner_picture(sheet.epochs, slot_view.slot.id) if slot_view else "",
        place=place,
        left=len(sheet.unsettled),
        figures=[f for f in sheet.plan.figures if f.check == check or (framed and not f.check)],
        photos=[p for p in sheet.state.photos if slot_view and p.said.slot == slot_view.slot.id],
        signs=KINDS,
        left_behind=_spared(sheet, lambda: left_behind(sheet, slot_view.slot), None)
        if slot_view and sheet.state.stage != "signed"
        else None,
        method=METHODS.get(view.check.line_method),
        sends=sends(request, slot_view, tools),
        offered=offered(request, opened, check),
        linked=request.app.state.devices is not None,
        newer=_newer(request, opened),
        parking=sheet.state.job is not None and sheet.state.job.bay in garage.store.bays(),
    )


MOST_TOLD = 6
"""Differences of a newer revision that are told one by one."""


@dataclass(frozen=True)
class Newer:
    """A newer revision of the sheet and what differs there."""

    revision: int
    figures: list[Differing]
    more: int
    """Figures that differ besides those."""
    other: bool
    """Something else differs than figures."""


def _newer(request: Request, opened: Opened) -> Newer | None:
    house = garage_of(request)
    entry = house.newer_sheet(opened)
    if entry is None:
        return None
    found, other = differing(house.sheet_of(opened.whole, opened.calibration), entry.content)
    return Newer(entry.revision, found[:MOST_TOLD], max(0, len(found) - MOST_TOLD), other)


class _Same:
    """The very view, and none that is like it: a sheet takes those over that nothing new went into."""

    __slots__ = ("view",)

    def __init__(self, view: CheckView) -> None:
        self.view = view

    def __hash__(self) -> int:
        return hash(self.view.check.id)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.view is self.view


class Rows:
    """The closed rows of sheets as they are shown: most of a page's are the one's before it."""

    def __init__(self, most: int = 256) -> None:
        self._kept: Memory[tuple[str, str, str, _Same], str] = Memory(most)

    def on(self, job: str, zone: str) -> "RowsOn":
        """Those of a job's page in the language that is spoken now."""
        return RowsOn(self._kept, (spoken().code, job, zone))


@dataclass(frozen=True)
class RowsOn:
    """A page's closed rows."""

    kept: Memory[tuple[str, str, str, _Same], str]
    place: tuple[str, str, str]

    def of(self, view: CheckView, made: Callable[[CheckView], str]) -> str:
        """A check's row, as it was made before or anew."""
        key = (*self.place, _Same(view))
        return self.kept.get(key) or self.kept.keep(key, made(view))


ROWS = Rows()


def _spared(sheet: Sheet, make: Callable[[], Any], otherwise: Any) -> Any:
    """A part of the page; where the sheet itself cannot be worked out, what stands in its place instead."""
    if not sheet.underivable:
        return make()
    try:
        return make()
    except Exception:
        return otherwise


def _line_in_use(sheet: Sheet) -> Text:
    solution = sheet.epochs.newest
    if carrier_of(sheet.plan).own_line:
        return Noun(f"line.{sheet.plan.procedure.line}")
    if solution is not None and solution.line:
        return Noun("line.thrust" if solution.line == "thrust" else "line.body")
    if sheet.epochs.toe:
        return Noun("line.thrust")
    return said("routes.sheet.not_found", line=Noun(f"line.{sheet.plan.procedure.line}"))


def drawn(sheet: Sheet, view: str, magnify: bool, whole: bool, slot: str, check: CheckView) -> str:
    """The sheet's drawing in one of its views."""
    match view:
        case "side":
            return side_view(sheet, magnify=magnify)
        case "level":
            return level_view(sheet, magnify=magnify)
        case _:
            return plan_view(sheet, magnify=magnify, whole=whole, slot=slot, check=check)


def _happenings(sheet: Sheet) -> list[Happening]:
    """What can happen to this job's frame, target and vehicle: a frame without brakes or wheels has none of theirs."""
    plan = sheet.plan
    absent = {"brakes": not plan.frame.brakes, "set_down": not plan.frame.transport_wheels}
    absent["tilt"] = not plan.frame.tilt_notches_deg
    no_marks = sheet.check("centreline") is None
    absent |= dict.fromkeys(("plumb_front", "plumb_rear"), no_marks)
    used = {station.carrier for station in plan.procedure.stations}
    absent |= {own.what: one.id not in used for one in CARRIERS.values() for own in one.own_happenings}
    return [happening for happening in HAPPENINGS.values() if not absent.get(happening.what)]


SENDS = ("distance_meter", "digital_level", "camera_rig")
"""Kinds of instrument that a device can send for."""


def sends(request: Request, slot: SlotView | None, tools: list[Tool]) -> list[Tool]:
    """The instruments of a slot that devices send readings for; none where no devices are there."""
    if request.app.state.devices is None or slot is None or slot.slot.ask != "number":
        return []
    return [tool for tool in tools if tool.kind in SENDS and tool.id in UNITS]


def _taken_off(garage: Garage, slot: SlotView | None, tool: str, frame: str) -> Said | None:
    """What the instrument's self-checks take off a reading here; empty where they leave it as it is."""
    if slot is None or slot.slot.quantity is None or not tool:
        return None
    quantity = slot.slot.quantity
    on_scale = frame if slot.slot.reads == "scale" else ""
    bias = garage.instruments.contributions(tool, quantity.dimension, slot.slot.lever, on_scale).bias
    unit = OWN_UNIT[quantity.dimension]
    told = amount(abs(bias or 0.0), unit)
    if not bias or told == amount(0.0, unit):
        return None
    return said("routes.sheet.taken_off" if bias > 0 else "routes.sheet.added", bias=told)


def _last_time(request: Request, opened: Opened, slot: SlotView | None) -> Said | None:
    """What this place read when the frame last stood here by the same sheet."""
    if slot is None or slot.slot.quantity is None or not slot.slot.aspects & PLACES:
        return None
    found = last_time(garage_of(request), opened)
    if found is None or slot.slot.id not in found.read:
        return None
    value = amount(found.read[slot.slot.id], OWN_UNIT[slot.slot.quantity.dimension])
    return said("routes.sheet.last_time", number=found.number, on=said_time(request, found.at, "day_time"), value=value)


def _tool(slot: SlotView | None, state: State, tools: list[Tool], doubted: Container[str], person: str) -> str:
    """The instrument that a person last chose on this job for this slot or kind of reading, or that was planned for it.

    Where there is only one it is that one; else none: whoever reads chooses. A doubted one only if all are.
    """
    ids = [t.id for t in tools if t.id not in doubted] or [t.id for t in tools]
    if slot is None or not ids:
        return ""
    planned = state.line_plan.tools.get(slot.slot.reads, "") if state.line_plan is not None else ""
    if planned in ids and not slot.now:
        return planned
    kind = family(slot.slot.id)
    last: list[tuple[bool, bool, int, str]] = []
    for id, kept in state.entries.items():
        for e in reversed(kept):
            if isinstance(e.said, ReadingTaken) and e.said.tool.id in ids and e.person.id == person:
                last.append((id == slot.slot.id, family(id) == kind, e.seq, e.said.tool.id))
                break
    if last:
        return max(last)[-1]
    return ids[0] if len(ids) == 1 else ""


def done(request: Request, opened: Opened, check: str, slot: str) -> Response:
    """The sheet after an entry: its changing part for htmx, else a redirect to it."""
    if request.headers.get("HX-Request") == "true":
        return page(request, opened, check, slot)
    return RedirectResponse(f"/jobs/{opened.address}?check={check}&slot={slot}", 303)


@router.get("")
def show(request: Request, job: Addressed, check: str = "", slot: str = "") -> Response:
    """The sheet, at the asked check or at the next move.

    A visit without a calibration shows itself, and so does one of which the variant is not known yet.
    """
    garage = garage_of(request)
    if not job.calibration and not garage.whole(job.visit).visit.calibrations:
        return RedirectResponse(f"/visits/{job.visit}", 303)
    opened = garage.open(*job)
    if opened.state.stage != "signed" and garage.gate(opened.whole).shuts(opened.sheet.plan.procedure) is not None:
        return RedirectResponse(f"/visits/{job.visit}#variant", 303)
    return page(request, opened, check, slot)


@router.get("/changes")
async def changes(request: Request, job: Addressed) -> Response:
    """Server-sent events: the job's log has grown."""
    await run_in_threadpool(garage_of(request).open, *job)
    return EventSourceResponse(request.app.state.changes.follow(job.visit), ping=20)


@router.post("/readings")
def record_reading(request: Request, job: Addressed, form: Annotated[forms.Reading, Form()]) -> Response:
    """Record a reading; an implausible one is asked about, a refused one stays in the field."""
    check, slot = form.check, form.slot
    word, replaces = form.word, form.replaces == "yes"
    garage = garage_of(request)
    typed, spoken_word = _spoken_direction(garage, job, slot, form.typed)
    word = spoken_word or word
    try:
        result = garage.do(
            TakeReading(
                job.visit,
                slot,
                typed,
                form.tool,
                word,
                replaces,
                understood=form.understood,
                temperature=form.temperature,
                hung_free=form.hung_free == "yes",
                device=form.device if typed == form.proposed else "",
                calibration=job.calibration,
            ),
            person_of(request),
            form.entry,
        )
    except (BadInput, Conflict) as error:
        trouble = Trouble(told(error), None, typed, word, replaces, tool=form.tool)
        return page(request, garage.open(*job), check, slot, trouble, status_of(error))
    if isinstance(result, Asked):
        trouble = Trouble(None, result.question, typed, word, replaces, tool=form.tool)
        return page(request, garage.open(*job), check, slot, trouble)
    return done(request, result, *after_entry(result, check, slot))


def _spoken_direction(garage: Garage, job: Addressed, slot: str, typed: str) -> tuple[str, str]:
    """A figure as typed, its direction word apart where it has one, such as ``0.06 toe-in``."""
    view = garage.open(*job).sheet.slots.get(slot)
    way = view.slot.way if view is not None else None
    return spoken().undirected(typed, way) if way else (typed, "")


@router.post("/answers")
def record_answer(request: Request, job: Addressed, form: Annotated[forms.Answer, Form()]) -> Response:
    """Answer a tick or a choice."""
    check, slot, value = form.check, form.slot, form.value
    garage = garage_of(request)
    try:
        opened = garage.do(Answer(job.visit, slot, value, calibration=job.calibration), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), check, slot, Trouble(told(error), typed=value), status_of(error))
    return done(request, opened, *after_entry(opened, check, slot))


@router.post("/happenings")
def happen(request: Request, job: Addressed, form: Annotated[forms.Happening, Form()]) -> Response:
    """Something was moved, bumped or mounted, or the vehicle was touched."""
    garage = garage_of(request)
    # Of several that stand together one alone, by its number behind a dot.
    what, _, which = form.what.partition(".")
    try:
        by = {key.removeprefix("by."): value for key, value in form.sent().items() if key.startswith("by.")}
        by |= {"which": which} if which else {}
        opened = garage.do(
            Happen(job.visit, what, "told" if form.source == "told" else "reported", by, calibration=job.calibration),
            person_of(request),
            form.entry,
        )
        if by and form.source == "told":
            request.app.state.follow_move(request, opened, what)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), form.check, "", Trouble(told(error)), status_of(error))
    return done(request, opened, "", "")


@router.post("/revision")
def answer_revision(request: Request, job: Addressed, form: Annotated[forms.Revision, Form()]) -> Response:
    """A newer revision of the sheet is taken, or the calibration goes on by the one that it began with."""
    garage = garage_of(request)
    command = AnswerRevision(job.visit, form.revision, form.take == "yes", calibration=job.calibration)
    try:
        opened = garage.do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), "", "", Trouble(told(error)), status_of(error))
    return done(request, opened, "", "")


@router.post("/undo")
def undo(request: Request, job: Addressed, form: Annotated[forms.Undo, Form()]) -> Response:
    """Take back one's own last entry, and open the place where it was."""
    garage = garage_of(request)
    check, slot = form.check, form.slot
    try:
        before = garage.open(*job).state
        opened = garage.do(Undo(job.visit, calibration=job.calibration), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), check, slot, Trouble(told(error)), status_of(error))
    for id, view in opened.sheet.slots.items():
        if before.live(id) != opened.state.live(id):
            slot, check = id, _home(opened, view, check)
    return done(request, opened, check, slot)


def _home(opened: Opened, slot: SlotView, check: str) -> str:
    views: list[CheckView] = [v for v in opened.sheet.checks if any(s.slot.id == slot.slot.id for s in v.slots)]
    return check if any(v.check.id == check for v in views) else views[0].check.id


@router.post("/overrides")
def override(request: Request, job: Addressed, form: Annotated[forms.Override, Form()]) -> Response:
    """Accept a check with a reason, or take that back."""
    garage, check, reason = garage_of(request), form.check, form.reason
    try:
        opened = garage.do(
            Override(job.visit, check, reason, calibration=job.calibration), person_of(request), form.entry
        )
    except (BadInput, Conflict) as error:
        return page(
            request, garage.open(*job), check, "", Trouble(told(error), check=check, reason=reason), status_of(error)
        )
    return done(request, opened, check, "")


@router.post("/run")
def run(request: Request, job: Addressed, form: Annotated[forms.Run, Form()]) -> Response:
    """The procedure was run, at the station at hand where there are several."""
    command = RunProcedure(job.visit, form.station, calibration=job.calibration)
    if form.by == "link":
        opened = garage_of(request).open(*job)
        try:
            garage_of(request).person(person_of(request))
            vehicle, unit = on_link(request, opened)
            if opened.sheet.next.kind == "run":
                vehicle.routine(unit)
        except NoAnswer as error:
            return page(request, opened, "", "", Trouble(error.said), 409)
        except (BadInput, Conflict) as error:
            return page(request, opened, "", "", Trouble(told(error)), status_of(error))
    return _told(request, job, command, form.entry)


@router.post("/result")
def take_result(request: Request, job: Addressed, form: Annotated[forms.Result, Form()]) -> Response:
    """What the vehicle itself says of the run, as it was shown."""
    opened = garage_of(request).open(*job)
    try:
        vehicle, unit = on_link(request, opened)
        found = vehicle.results(unit)
        if shown_result(opened, found) != form.shown:
            raise Conflict(said("routes.sheet.result_changed"))
    except (Conflict, NoAnswer) as error:
        return page(request, opened, "result", "", Trouble(error.said), 409)
    command = TakeResult(job.visit, found.outcome, found.figures, found.lines, device=LINK, calibration=job.calibration)
    return _told(request, job, command, form.entry)


@router.post("/confirm")
def confirm(request: Request, job: Addressed, form: Annotated[forms.Confirming, Form()]) -> Response:
    """The set-up is confirmed as it stands, or that is taken back."""
    command = ConfirmSetup(job.visit, bool(form.taken_back), calibration=job.calibration)
    return _told(request, job, command, form.entry)


def _told(request: Request, job: Addressed, command: VisitCommand, entry: str) -> Response:
    garage = garage_of(request)
    try:
        opened = garage.do(command, person_of(request), entry)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), "", "", Trouble(told(error)), 409)
    return done(request, opened, "", "")


@router.post("/sign")
def sign(request: Request, job: Addressed, form: Annotated[forms.Signing, Form()]) -> Response:
    """Sign what the signer saw; the record is frozen, and printed while the answer is already on its way."""
    garage = garage_of(request)
    try:
        opened = garage.do(
            Sign(job.visit, form.head, render_record(garage), calibration=job.calibration),
            person_of(request),
            form.entry,
        )
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), "", "", Trouble(told(error)), 409)
    answer = done(request, opened, "", "")
    answer.background = BackgroundTask(
        print_record, garage, job.visit, opened.state.records[-1].said.revision, job.calibration
    )
    return answer


@router.post("/reopen")
def reopen(request: Request, job: Addressed, form: Annotated[forms.Reopening, Form()]) -> Response:
    """Begin a new revision of a signed sheet."""
    garage, reason = garage_of(request), form.reason
    try:
        opened = garage.do(Reopen(job.visit, reason, calibration=job.calibration), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), "", "", Trouble(told(error), reason=reason), status_of(error))
    return done(request, opened, "", "")
