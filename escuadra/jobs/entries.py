"""Answers, happenings, what is taken back, and checks that are accepted with a reason."""

import re
from collections.abc import Mapping
from datetime import date

from escuadra.core.errors import BadInput
from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.events import (
    Answered,
    Disturbed,
    Overridden,
    OverrideWithdrawn,
    Withdrawn,
)
from escuadra.core.job.sheet import Sheet
from escuadra.core.job.state import State
from escuadra.core.stream import Payload
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage, slot_of


def answer(garage: Garage, job: str, slot: str, value: str, person: str, client_id: str) -> Opened:
    """Answer a tick or a choice."""

    def make(_state: State, sheet: Sheet) -> Payload:
        where = slot_of(sheet, slot)
        options = ("yes", "no") if where.ask == "tick" else where.options
        if where.ask == "number" or not value.strip() or (options and value not in options):
            raise BadInput("value", value or "nothing", " or ".join(options) or "what is printed on it")
        if where.ask == "day":
            _day(value)
        return Answered(slot=slot, value=value.strip()[:80])

    return garage.append(job, person, client_id, make)


def happen(
    garage: Garage,
    job: str,
    what: str,
    person: str,
    client_id: str,
    amount: str = "",
    by: Mapping[str, float | str] | None = None,
) -> Opened:
    """Something moved, was bumped, mounted, or happened to the vehicle; ``by``: what was told, where it was."""
    known = HAPPENINGS.get(what)
    if known is None:
        raise BadInput("what", what, f"one of {', '.join(HAPPENINGS)}")
    payload = Disturbed.read({"what": what, "words": known.words, "amount": amount[:80], "by": dict(by or {})})
    return garage.append(job, person, client_id, lambda _state, _sheet: payload)


def undo(garage: Garage, job: str, person: str, client_id: str) -> Opened:
    """Take back one's own last reading or answer; it stays in the log as withdrawn."""

    def make(state: State, _sheet: Sheet) -> Payload:
        last = state.last_of(person)
        if last is None:
            raise BadInput("undo", "nothing", "an entry of your own that still counts")
        return Withdrawn(entry=last)

    return garage.append(job, person, client_id, make)


def override(garage: Garage, job: str, check: str, reason: str, person: str, client_id: str) -> Opened:
    """Accept a check that does not hold, with a reason; an empty reason takes an override back."""

    def make(state: State, sheet: Sheet) -> Payload:
        view = sheet.check(check)
        if view is None:
            raise BadInput("check", check, "a check of this sheet")
        if not reason.strip():
            if check not in state.overrides:
                raise BadInput("reason", "nothing", "a reason in words, at least ten letters")
            return OverrideWithdrawn(check=check)
        if len(re.findall(r"\w", reason)) < 10:
            raise BadInput("reason", reason, "a reason in words, at least ten letters")
        if view.state == "holds":
            raise BadInput("check", check, "a check that does not hold")
        return Overridden(check=check, reason=reason.strip()[:500])

    return garage.append(job, person, client_id, make)


def _day(text: str) -> date:
    """A day as a date field gives it or as it is typed, year first; raises ``BadInput``."""
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise BadInput("value", text, "a day as year-month-day, such as 2026-03-05") from error
