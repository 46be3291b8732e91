"""What a record keeps of its runs: every attempt with its steps, what was shown, and how the sensor was turned."""

from collections.abc import Mapping
from datetime import UTC, datetime

from pydantic import Field

from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Name, Noun, Said, as_said, said
from escuadra.core.base.wording import amount
from escuadra.core.procedure.sheet import RunStep, Side
from escuadra.core.visit.aiming import aiming
from escuadra.core.visit.attempts import Attempt
from escuadra.core.visit.checks.adjusting import turned
from escuadra.core.visit.conductor import routine_of
from escuadra.core.visit.log.events import ReadingTaken, RunStepped
from escuadra.core.visit.log.state import Kept
from escuadra.core.visit.sheet import Sheet


class RecordedShown(Frozen):
    """A figure that the routine showed before it took that as zero."""

    label: Said
    degrees: float
    value: Said


class RecordedStep(Frozen):
    """What was said of a step of the run."""

    step: str
    title: Said
    what: str = Field(description="begun, done, again (done in vain), skipped or interrupted")
    person: str
    at: datetime
    seen: bool = Field(False, description="the link to the vehicle saw it; nobody pressed")
    why: str = ""
    clear: bool = Field(False, description="the field was answered for before the radar transmitted")
    response: float | None = Field(None, description="of a radar to its board, dB")
    unit: Side | None = Field(None, description="which of two units was opened")
    typed: list[Said] = Field([], description="into the vehicle's own routine, as it was typed")


class RecordedLine(Frozen):
    """Where a lens's line stood beside its two limit lines."""

    lens: Said
    stood: str = Field(description="between, above or below")
    value: Said


class RecordedCamera(Frozen):
    """Whether one of several cameras passed."""

    camera: Said
    outcome: str = Field(description="passed or failed")
    value: Said


class RecordedTurn(Frozen):
    """A screw of the sensor that was turned."""

    screw: str
    turns: float = Field(description="clockwise positive, seen from where the sheet says")
    value: Said


class RecordedAim(Frozen):
    """Where the sensor looked by its mirror, and what was then turned."""

    at: datetime
    yaw_deg: float
    pitch_deg: float
    value: list[Said]
    turned: list[RecordedTurn] = []


class RecordedAttempt(Frozen):
    """A run of the procedure, and what came of it."""

    at: datetime
    person: str
    outcome: str = Field(description="passed, failed, interrupted; empty: not told")
    figures: list[RecordedShown] = []
    lines: list[RecordedLine] = Field([], description="of each lens between its limit lines")
    cameras: list[RecordedCamera] = Field([], description="each camera's own result, where that was told")
    steps: list[RecordedStep] = Field([], description="of a conducted run, interruptions among them, in their order")
    turned: list[RecordedTurn] = Field([], description="of the sensor's screws after it")
    unread: str = Field("", description="why the misalignment was not read before they were turned; empty: it was")


def recorded_time(at: int) -> datetime:
    """A time of the log as the record has it."""
    return datetime.fromtimestamp(at / 1000, UTC)


def recorded_attempt(one: Attempt, sheet: Sheet) -> RecordedAttempt:
    """A run as the record keeps it."""
    ways = {figure.id: figure.way for figure in sheet.plan.procedure.results}
    figures = [
        RecordedShown(
            label=as_said(Noun(f"result.{ways[id]}")),
            degrees=entry.said.value,
            value=as_said(amount(entry.said.value, "°", 2, ways[id])),
        )
        for id, entry in one.figures.items()
        if isinstance(entry.said, ReadingTaken)
    ]
    outcome = str(getattr(one.outcome.said, "value", "")) if one.outcome is not None else ""
    return RecordedAttempt(
        at=recorded_time(one.run.at),
        person=one.run.person.name,
        outcome=outcome,
        figures=figures,
        lines=_lines(one, sheet),
        cameras=_cameras(one, sheet),
        steps=[_step(kept, sheet) for kept in one.steps],
        turned=_turns(one.turned, sheet),
        unread=one.told.unread if one.told is not None else "",
    )


def recorded_aims(sheet: Sheet) -> list[RecordedAim]:
    """The passes by the sensor's mirror; none where its sheet has none."""
    given = sheet.plan.procedure.adjusting
    found = aiming(sheet.epochs) if given is not None and given.mirror is not None else None
    return [
        RecordedAim(
            at=recorded_time(one.at),
            yaw_deg=one.shown.yaw,
            pitch_deg=one.shown.pitch,
            value=[
                as_said(amount(one.shown.yaw, "°", 2, "aim_yaw")),
                as_said(amount(one.shown.pitch, "°", 2, "aim_pitch")),
            ],
            turned=_turns(one.turned, sheet),
        )
        for one in (found.passes if found is not None else ())
        if one.shown is not None
    ]


def _lines(one: Attempt, sheet: Sheet) -> list[RecordedLine]:
    stood = {id: str(getattr(entry.said, "value", "")) for id, entry in one.lines.items()}
    return [
        RecordedLine(
            lens=as_said(Name(line.lens)), stood=stood[line.id], value=as_said(Noun(f"answer.{stood[line.id]}"))
        )
        for line in sheet.plan.procedure.lines
        if line.id in stood
    ]


def _cameras(one: Attempt, sheet: Sheet) -> list[RecordedCamera]:
    told = {id: str(getattr(entry.said, "value", "")) for id, entry in one.cameras.items()}
    return [
        RecordedCamera(
            camera=as_said(Name(camera.name)), outcome=told[camera.id], value=as_said(Noun(f"answer.{told[camera.id]}"))
        )
        for camera in sheet.plan.procedure.cameras
        if camera.id in told
    ]


def _turns(made: Mapping[str, float] | None, sheet: Sheet) -> list[RecordedTurn]:
    given = sheet.plan.procedure.adjusting
    if given is None or made is None:
        return []
    return [
        RecordedTurn(screw=screw.id, turns=turns, value=turned(screw, turns))
        for screw in given.screws
        if (turns := made.get(screw.id, 0.0))
    ]


def _step(one: Kept[RunStepped], sheet: Sheet) -> RecordedStep:
    told = one.said
    assert isinstance(told, RunStepped)
    step = next((step for step in sheet.plan.procedure.steps if step.id == told.step), None)
    return RecordedStep(
        step=told.step,
        title=as_said(Name(step.does if step is not None else told.step)),
        what=told.what,
        person=one.person.name,
        at=recorded_time(one.at),
        seen=bool(told.device) and told.response is None,
        why=told.why,
        clear=told.clear,
        response=told.response,
        unit=told.unit,
        typed=_typed(told, step, sheet) if told.what == "done" else [],
    )


def _typed(told: RunStepped, step: RunStep | None, sheet: Sheet) -> list[Said]:
    """What was typed into the routine, as it was typed."""
    own, routine = {one.id: one for one in (step.types if step is not None else [])}, routine_of(sheet.plan.procedure)
    found = []
    for name, value in told.typed.items():
        if name in own:
            found.append(said("routine.own", name=Name(own[name].name), value=own[name].shown(value)))
        elif routine is not None:
            found.append(said(f"routine.{name}", value=routine.shown(value)))
    return found
