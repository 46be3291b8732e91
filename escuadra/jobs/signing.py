"""Signing what the signer saw, printing its record once, and beginning a new revision."""

import re
from collections.abc import Callable
from functools import partial

from escuadra import __version__
from escuadra.core.errors import BadInput, Conflict
from escuadra.core.job.events import (
    Printed,
    Reopened,
    Signed,
)
from escuadra.core.job.sheet import Sheet, derive
from escuadra.core.job.state import State, fold
from escuadra.core.job.told import mechanics
from escuadra.core.stream import ITSELF, Payload, Person
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage, always


def sign(
    garage: Garage,
    job: str,
    head: str,
    person: str,
    client_id: str,
    render: Callable[[Opened, Person, int], bytes],
) -> Opened:
    """Sign what the signer saw (``head``): its record is stored and frozen. ``render``: the record as JSON."""
    opened, who = garage.open(job), garage.person(person)
    if opened.state.signed is None and opened.row.head == head and opened.sheet.can_sign:
        digest = garage.files.put(render(opened, who, garage.clock()))
    else:
        digest = ""

    def make(state: State, sheet: Sheet) -> Payload:
        if not sheet.can_sign:
            names = ", ".join(view.check.title for view in sheet.unsettled)
            raise Conflict(f"Not settled yet: {names}.")
        return Signed(revision=state.revision, head=head, record_json=digest, application=__version__)

    signed = garage.append(job, person, client_id, make, head=head)
    known, before = mechanics(opened.sheet.setup), opened.state.frame_known
    if known.moves > (before.moves if before is not None else 0):
        garage.instruments.learn(opened.sheet.plan.frame.id, opened.row.number, known, who)
    return signed


def printed(garage: Garage, job: str, revision: int, render: Callable[[bytes, Opened], bytes]) -> bytes:
    """The PDF of a signed revision: printed once, from the record and the sheet as they were signed, and kept.

    ``render``: PDF bytes from the record's JSON and the sheet. Raises ``BadInput`` for what is not signed.
    """
    state = garage.open(job).state
    signed = next((said for said, _, _ in state.records if said.revision == revision), None)
    if signed is None:
        raise BadInput("revision", str(revision), "a signed revision")
    digest = state.pdf_of(revision)
    if digest is None:
        content = render(garage.files.get(signed.record_json), _as_signed(garage, job, signed))
        said = Printed(revision=revision, record_pdf=garage.files.put(content))
        after = garage.append(job, ITSELF, f"printed-{revision}", partial(always, said), when_signed=True)
        # Two at once: the first one's is kept.
        digest = after.state.pdf_of(revision)
    assert digest is not None
    return garage.files.get(digest)


def _as_signed(garage: Garage, job: str, signed: Signed) -> Opened:
    """The sheet that a signature stands on, worked out anew from the events before it."""
    with garage.store.reading() as log:
        row, events = log.row(job), log.events(job)
    at = next(k for k, event in enumerate(events) if event.kind == Signed.code and event.payload == signed)
    state = fold(State(), events[:at])
    return Opened(row, derive(state, garage.plan_of(job, state), events[at].at))


def reopen(garage: Garage, job: str, reason: str, person: str, client_id: str) -> Opened:
    """Begin a new revision of a signed sheet; the signed one stays."""

    def make(state: State, _sheet: Sheet) -> Payload:
        if state.signed is None:
            raise Conflict("This sheet is not signed: there is nothing to reopen.")
        if len(re.findall(r"\w", reason)) < 10:
            raise BadInput("reason", reason or "nothing", "a reason in words, at least ten letters")
        return Reopened(revision=state.revision + 1, reason=reason.strip()[:500])

    return garage.append(job, person, client_id, make, when_signed=True)
