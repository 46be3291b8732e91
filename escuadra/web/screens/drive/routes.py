"""The drive on the road: what each sensor needs, its attempts with their traces, the garage's roads, the recorder."""

import json
from collections.abc import Callable, Mapping
from dataclasses import replace
from hashlib import sha256
from pathlib import Path
from statistics import stdev
from typing import Annotated, Any

from fastapi import Depends, Form, Request
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from escuadra.commands import Garage
from escuadra.commands.driving import (
    BeginDrive,
    EndDrive,
    KeepTrace,
    LearnRoad,
    TakeBackDriven,
    TellStretch,
    courses,
    drives_in,
    past_of,
    roads_for,
    traced,
    traces_of,
)
from escuadra.commands.forms import Whole
from escuadra.commands.live_drive import content_of, receive, received, taken_over
from escuadra.commands.settings import Set
from escuadra.commands.whole import WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.said import Duration, Name, Plain, Said, Text, said
from escuadra.core.road.drive import judge
from escuadra.core.road.needed import PER_DISPLAY, DriveSpec
from escuadra.core.road.trace_files import COLUMNS, UNITS, ColumnsWanted, as_gpx, guessed, header_of
from escuadra.core.visit.driving import (
    ALL_LOSSES,
    Course,
    DriveAttempt,
    Driven,
    SensorDrive,
    attempt_of,
    course,
    drive_attempts,
    driven,
)
from escuadra.core.visit.log.driving import TOLD, DriveTraced, TraceSource
from escuadra.drawing import speed_view, stretches, way_view
from escuadra.reports.drive import drive_pdf
from escuadra.reports.paper import styled
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import Upload, garage_of, person_of, render, said_time, status_of, told, upload_of
from escuadra.web.screens import screen
from escuadra.web.screens.codes.routes import linked
from escuadra.words import say

router = screen("drive", "/visits/{visit}/drive", within="visits")
WORKER = Path(__file__).parents[2] / "static" / "recorder-worker.js"
_READING: dict[str, float] = {}
"""How far a file that was sent is read, by the press that sent it."""
Typed = Mapping[str, Any]


def way_of(spec: DriveSpec, km: float | None, decimals: int = 1) -> Said | None:
    """A distance as the vehicle's own display counts."""
    if km is None:
        return None
    unit = "mi" if spec.display == "mph" else "km"
    return said(f"drive.{unit}", value=Plain(km / PER_DISPLAY[spec.display], decimals))


def source_of(trace: DriveTraced) -> Text:
    """What a trace came from: the file by its name, or what recorded it."""
    return Name(trace.name) if trace.source == "file" else said(f"drive.source.{trace.source}")


def minutes_of(seconds: float | None) -> Duration | None:
    """Seconds as whole minutes."""
    return None if seconds is None else Duration(round(seconds / 60))


def judged_of(found: Course | None, attempt: DriveAttempt, one: SensorDrive) -> Driven:
    """What an attempt brought to a sensor."""
    return driven(found, attempt.stretches, one.spec)


def page(
    request: Request,
    visit: str,
    error: Said | None = None,
    status: int = 200,
    typed: Typed | None = None,
    wanted: Typed | None = None,
) -> Response:
    """Everything that is known of the visit's drive."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    found = drives_in(garage, whole)
    attempts = drive_attempts(whole.state)
    asked = request.query_params.get("sensor", "")
    chosen = next((one for one in found if one.sensor.id == asked), None)
    chosen = chosen or next((one for one in found if not one.met), found[0] if found else None)
    shown = _shown(request, attempts)
    drawn = _spared(lambda: _drawings(garage, shown, chosen), ("", "")) if shown and chosen else ("", "")
    open_ = next((one for one in attempts if one.ended is None), None)
    return render(
        request,
        "drive.html",
        status=status,
        whole=whole,
        job=whole.job,
        model=garage.model_of(whole),
        tabs=garage.tabs(whole),
        tab="drive",
        drives=found,
        chosen=chosen,
        attempts=attempts,
        shown=shown,
        open=open_,
        joined=traced(garage, [one.trace for one in shown.traces]).joined if shown and drawn[0] else None,
        speed=drawn[0],
        way=drawn[1],
        roads=roads_for(garage, chosen) if chosen is not None and not chosen.met else [],
        every_road=[entry.content for entry in garage.catalogue.all("road")],
        names={one["id"]: one["name"] for one in garage.store.people()},
        brought=[(one, judged_of(courses(garage, one), one, chosen)) for one in attempts] if chosen else [],
        way_of=way_of,
        minutes_of=minutes_of,
        source_of=source_of,
        per_display=PER_DISPLAY,
        told_kinds=TOLD,
        columns=COLUMNS,
        units=list(UNITS),
        linked=request.app.state.devices is not None,
        live=bool(open_ and content_of(garage, visit, open_.seq)),
        wanted=wanted,
        error=error,
        typed=typed or {},
    )


def _shown(request: Request, attempts: list[DriveAttempt]) -> DriveAttempt | None:
    asked = request.query_params.get("attempt", "")
    traced = [one for one in attempts if one.traces]
    return next((one for one in traced if str(one.seq) == asked), traced[-1] if traced else None)


def _spared(make: Callable[[], tuple[str, str]], otherwise: tuple[str, str]) -> tuple[str, str]:
    """A drawing that cannot be made keeps nobody from the page."""
    try:
        return make()
    except BadInput:
        return otherwise


def _drawings(garage: Garage, attempt: DriveAttempt, one: SensorDrive) -> tuple[str, str]:
    found = courses(garage, attempt)
    judged = judged_of(found, attempt, one).judged
    if found is None or judged is None:
        return "", ""
    return speed_view(found, judged, one.spec), way_view(found, judged, one.spec.gap_max)


@router.get("")
def show(request: Request, visit: str) -> Response:
    """The drive as it stands."""
    return page(request, visit)


def _done(request: Request, command: WholeVisitCommand, form: forms.Posted) -> Response:
    try:
        garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, command.visit, told(error), status_of(error), form.sent())
    return RedirectResponse(f"/visits/{command.visit}/drive", 303)


@router.post("/begun")
def begin(request: Request, visit: str, form: Annotated[forms.SettingOut, Form()]) -> Response:
    """Somebody sets out."""
    ticks = (bool(form.licensed), bool(form.belt), bool(form.ignition))
    return _done(request, BeginDrive(visit, form.driver, form.reader, form.road, *ticks), form)


@router.post("/{attempt}/told")
def tell_stretch(request: Request, visit: str, attempt: int, form: Annotated[forms.TellingStretch, Form()]) -> Response:
    """A stretch by hand."""
    return _done(request, TellStretch(visit, attempt, form.what, form.km, form.minutes, form.after_min), form)


@router.post("/{attempt}/ended")
def end(request: Request, visit: str, attempt: int, form: Annotated[forms.EndingDrive, Form()]) -> Response:
    """The vehicle is back."""
    return _done(request, EndDrive(visit, attempt, bool(form.key), form.bar, form.functions), form)


@router.post("/taken-back")
def take_back(request: Request, visit: str, form: Annotated[forms.TakingBack, Form()]) -> Response:
    """A trace or a stretch was wrong."""
    return _done(request, TakeBackDriven(visit, form.of), form)


def _setting(header: list[str]) -> str:
    """Under what it is remembered which column of such a table is what."""
    return f"trace_columns/{sha256(';'.join(header).encode()).hexdigest()[:24]}"


def _remembered(garage: Garage, content: bytes) -> dict[str, str] | None:
    if content[:200].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<":
        return None
    header = [cell.strip() for cell in header_of(content[:20_000].decode("utf-8-sig", "replace"))]
    kept = garage.store.setting(_setting(header))
    return json.loads(kept) if kept else None


@router.post("/{attempt}/traces")
async def keep_trace(request: Request, visit: str, attempt: int, upload: Upload = Depends(upload_of)) -> Response:
    """A trace as a file, or as a phone recorded it; a table whose columns are not known is asked about, and kept."""
    return await run_in_threadpool(_keep, request, visit, attempt, upload)


def _keep(request: Request, visit: str, attempt: int, upload: Upload) -> Response:
    garage, entry = garage_of(request), upload.fields.get("entry", "")
    source: TraceSource = "phone" if upload.fields.get("source") == "phone" else "file"
    phone = source == "phone"
    try:
        if not upload.content:
            raise BadInput("file", "", said("wants.gpx_or_table"))
        columns = _remembered(garage, upload.content)

        def progress(share: float) -> None:
            _READING[entry] = min(share, 1.0)

        command = KeepTrace(visit, attempt, source, upload.name or source, upload.content, columns, progress)
        garage.do(command, person_of(request), entry)
    except ColumnsWanted as asked:
        kept = garage.files.put(upload.content)
        wanted = {"header": asked.header, "guess": guessed(asked.header), "file": kept, "name": upload.name}
        return page(request, visit, said("drive.which_columns"), 422, upload.fields, {**wanted, "attempt": attempt})
    except (BadInput, Conflict) as error:
        if phone:
            return Response(say(told(error)), status_of(error), media_type="text/plain")
        return page(request, visit, told(error), status_of(error), upload.fields)
    finally:
        _READING.pop(entry, None)
    return Response(status_code=204) if phone else RedirectResponse(f"/visits/{visit}/drive?attempt={attempt}", 303)


@router.post("/{attempt}/columns")
def name_columns(request: Request, visit: str, attempt: int, form: Annotated[forms.Posted, Form()]) -> Response:
    """Which column of a table that was sent is what: remembered for tables with the same header."""
    garage, sent = garage_of(request), form.sent()
    try:
        content = garage.files.get(sent.get("file", ""))
        header = [cell.strip() for cell in header_of(content[:20_000].decode("utf-8-sig", "replace"))]
        columns = {name: sent.get(name, "") for name in (*COLUMNS, "speed_unit")}
        garage.do(
            KeepTrace(visit, attempt, "file", sent.get("name", ""), content, columns), person_of(request), form.entry
        )
        garage.do(
            Set(_setting(header), json.dumps(columns, sort_keys=True)), person_of(request), f"{form.entry}-columns"
        )
    except ColumnsWanted as asked:
        wanted = {"header": asked.header, "guess": sent, "file": sent.get("file", ""), "name": sent.get("name", "")}
        return page(request, visit, said("drive.which_columns"), 422, sent, {**wanted, "attempt": attempt})
    except (BadInput, Conflict) as error:
        return page(request, visit, told(error), status_of(error), sent)
    return RedirectResponse(f"/visits/{visit}/drive?attempt={attempt}", 303)


@router.get("/progress")
def progress(entry: str) -> dict[str, float | None]:
    """How far a file that was sent is read; null where none is."""
    return {"share": _READING.get(entry)}


@router.get("/{attempt}/recorder")
def recorder(request: Request, visit: str, attempt: int) -> Response:
    """The page that records by itself on a phone or a tablet, without the garage's network."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    one = next((a for a in drive_attempts(whole.state) if a.seq == attempt), None)
    if one is None:
        raise BadInput("attempt", str(attempt), said("wants.open_drive"))
    found = drives_in(garage, whole)
    return render(
        request,
        "recorder.html",
        job=whole.job,
        visit=visit,
        attempt=one,
        alone=not one.begun.reader,
        needs=[_as_script(each, say(Name(each.sensor.name))) for each in found],
        words={name: say(said(f"recorder.{name}")) for name in RECORDER_WORDS},
    )


@router.get("/{attempt}/live")
def live_page(request: Request, visit: str, attempt: int) -> Response:
    """The drive as the vehicle's link sends it."""
    whole = garage_of(request).whole(visit)
    attempt_of(whole.state, attempt)
    return render(request, "live.html", job=whole.job, visit=visit, attempt=attempt)


@router.post("/{attempt}/live")
def live(request: Request, visit: str, attempt: int) -> Response:
    """What came since, kept before it is shown: one large word, what counted, what is left."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    one = attempt_of(whole.state, attempt)
    lost: Said | None = None
    with garage.queues.turn(f"live/{visit}/{attempt}"):
        known = received(garage, visit, attempt)
        try:
            road = garage.catalogue.get("road", one.begun.road or garage.catalogue.all("road")[0].id).content
            after = float(known.t[-1]) if known is not None else 0.0
            samples = linked(request, whole, garage.model_of(whole)).drive(road, after)
            receive(garage, visit, attempt, samples)
        except (Conflict, NoAnswer) as error:
            lost = error.said
        known = received(garage, visit, attempt)
    found = course([known]) if known is not None else None
    rows = []
    for need in drives_in(garage, whole):
        now = driven(found, [], need.spec)
        state = "gap"
        if now.judged is not None:
            last = int(now.judged.lost[-1])
            state = "counts" if last < 0 else ALL_LOSSES[last]
        whole_drive = replace(need, attempts=(*need.attempts, now))
        rows.append({"need": whole_drive, "now": now, "state": "done" if whole_drive.met else state})
    shown = next((row for row in rows if row["state"] != "done"), rows[0] if rows else None)
    return render(
        request,
        "live_part.html",
        rows=rows,
        shown=shown,
        lost=lost,
        speed=float(found.speed[-1]) if found is not None else None,
        per=PER_DISPLAY,
        samples=len(known) if known is not None else 0,
        way_of=way_of,
        minutes_of=minutes_of,
    )


@router.post("/{attempt}/taken-over")
def take_over(request: Request, visit: str, attempt: int, form: Annotated[forms.Posted, Form()]) -> Response:
    """What the link sent becomes a trace of the drive."""
    garage = garage_of(request)
    with garage.queues.turn(f"live/{visit}/{attempt}"):
        content = content_of(garage, visit, attempt)
        answer = _done(request, KeepTrace(visit, attempt, "link", "link.csv", content), form)
        if answer.status_code == 303:
            taken_over(garage, visit, attempt)
    return answer


RECORDER_WORDS = (
    *("counts", "slow", "fast", "bend", "gap", "done", "waiting", "denied", "insecure", "kept", "handed_over"),
    *("not_now", "left"),
)


def _as_script(one: SensorDrive, name: str) -> dict[str, Any]:
    """What the recorder's script counts by."""
    spec, per = one.spec, PER_DISPLAY[one.spec.display]
    return {
        "name": name,
        "least": spec.speed_min,
        "most": spec.speed_max,
        "radius": spec.radius_min,
        "gap": spec.gap_max,
        "window": spec.window_s,
        "per": per,
        "unit": "mi" if spec.display == "mph" else "km",
        "speed": spec.display,
        "left_km": one.left[0],
        "left_s": one.left[1],
    }


def _course_of(
    request: Request, visit: str, attempt: int, sensor: str
) -> tuple[Whole, DriveAttempt, SensorDrive, Course]:
    garage = garage_of(request)
    whole = garage.whole(visit)
    one = next((a for a in drive_attempts(whole.state) if a.seq == attempt), None)
    found = courses(garage, one) if one is not None else None
    need = next((each for each in drives_in(garage, whole) if sensor in ("", each.sensor.id)), None)
    if one is None or found is None or need is None:
        raise BadInput("attempt", str(attempt), said("wants.attempt_with_trace"))
    return whole, one, need, found


@router.get("/{attempt}.{form}")
def taken_out(request: Request, visit: str, attempt: int, form: str, sensor: str = "") -> Response:
    """An attempt's trace with what counted of it: GPX, CSV, or the drawing as SVG."""
    whole, one, need, found = _course_of(request, visit, attempt, sensor)
    name = f"{whole.row.number}-drive-{attempt}"
    if form in ("svg", "pdf"):
        brought = judged_of(found, one, need)
        assert brought.judged is not None
        drawings = [speed_view(found, brought.judged, need.spec), way_view(found, brought.judged, need.spec.gap_max)]
        if form == "svg":
            return Response(str(styled(drawings[0])), media_type="image/svg+xml", headers=named(name, form))
        garage, model = garage_of(request), garage_of(request).model_of(whole)
        house = garage.store.setting("name", "")
        at, driver = said_time(request, one.at, "day_time"), garage.person(one.begun.driver).name
        way = way_of(need.spec, brought.counted_km)
        assert way is not None
        page = drive_pdf((whole.job.number, house, model.name, driver, at), one, need, brought, drawings, way)
        return Response(page, media_type="application/pdf", headers=named(name, form, inline=True))
    judged = judged_of(found, one, need).judged
    assert judged is not None
    lost_to = found.of_samples(judged.lost, need.spec.gap_max)
    kinds = [("counted" if lost < 0 else ALL_LOSSES[lost], first, last) for lost, first, last in stretches(lost_to)]
    if form == "gpx":
        return Response(as_gpx(found.trace, kinds), media_type="application/gpx+xml", headers=named(name, form))
    if form != "csv":
        raise BadInput("form", form[:20], said("wants.form_of_drive"))
    lines = ["t,lat,lon,speed_kmh,heading,counts"]
    trace = found.trace
    for kind, first, last in kinds:
        lines += [
            f"{trace.t[k]:.3f},{trace.latitude[k]:.7f},{trace.longitude[k]:.7f},"
            f"{found.speed[k]:.2f},{found.heading[k]:.1f},{kind}"
            for k in range(first, last)
        ]
    return Response("\n".join([*lines, ""]), media_type="text/csv", headers=named(name, form))


known = screen("roads", "/roads", within="garage")


def roads_page(request: Request, error: Said | None = None, status: int = 200) -> Response:
    """The garage's roads with what their past passes taught."""
    garage = garage_of(request)
    models = [entry.content for entry in garage.catalogue.all("vehicle")]
    by = next(one for model in models for one in model.sensors if one.drive is not None and one.drive.distance_km)
    found = []
    for entry in garage.catalogue.all("road"):
        past, traces = past_of(garage, entry.content, by.drive), traces_of(garage, entry.id)
        rows = []
        for hour in sorted({int(one.hour) for one in past}):
            own = [one.brought for one in past if int(one.hour) == hour]
            shares = [one.counted_km / entry.content.length_km for one in own]
            rows.append(
                {
                    "hour": f"{hour}–{hour + 1} h",
                    "count": len(own),
                    "share": min(1.0, sum(shares) / len(own)),
                    "spread": stdev(shares) if len(own) > 1 else None,
                    "minutes": sum(one.total_s for one in own) / len(own) / 60,
                }
            )
        way = ""
        if traces:
            drawn = traced(garage, traces[-1].traces)
            way = way_view(drawn, judge(*drawn.fine(by.drive.gap_max), by.drive.limits), by.drive.gap_max)
        found.append({"road": entry.content, "passes": rows, "way": way})
    return render(request, "roads.html", status=status, roads=found, by=by, error=error)


@known.get("")
def every_road(request: Request) -> Response:
    """The garage's roads."""
    return roads_page(request)


@known.post("/{road}/traces")
def learn(request: Request, road: str, upload: Upload = Depends(upload_of)) -> Response:
    """A trace from before teaches a road."""
    try:
        command = LearnRoad(road, upload.name, upload.content)
        garage_of(request).do(command, person_of(request), upload.fields.get("entry", ""))
    except (BadInput, Conflict) as error:
        return roads_page(request, told(error), status_of(error))
    return RedirectResponse("/roads", 303)


workers = screen("recorder_worker", posts=False)


@workers.get("/visits/recorder-worker.js")
def worker() -> Response:
    """The script that keeps the recorder's page for the road; it serves no more than addresses of visits."""
    content = WORKER.read_bytes()
    return Response(content, media_type="text/javascript", headers={"Cache-Control": "no-cache"})
