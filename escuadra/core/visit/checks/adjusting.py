"""A sensor that is turned: what is stored in the vehicle kept first, the board's notches, the two screws.

Source: ``adjusting``, ``tilt``; agreement judged by ``verdict`` (JCGM 106).
"""

import math
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.model import Positive
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Angle, Count, Name, Noun, Said, Turns, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.measure.budget import Contribution, shares
from escuadra.core.procedure.adjusting import AdjustingScrew
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.run.adjusting import SHOWN_U_DEG
from escuadra.core.visit.aiming import Aiming, Tilted, aiming, figure_of, tilted
from escuadra.core.visit.attempts import FAILED, INTERRUPTED, PASSED
from escuadra.core.visit.checks.base import Check, Figure, Judgement, Link
from escuadra.core.visit.checks.result import MOST_DEG
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.fixture import fixture_lean, fixture_slots
from escuadra.core.visit.lenses import SEEN
from escuadra.core.visit.log.disturbances import ATTEMPT, MENDED
from escuadra.core.visit.log.places import ResultPlace
from escuadra.core.visit.mirror import spot_now, spot_slots
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.slots import Slot, current, measured

STORED = frozenset({"stored"})
BOARD = frozenset({"level", "tilt"})


@check_kind("stored")
class StoredCheck(Check):
    """What the vehicle's unit has stored, read and kept before anything is cleared: figures, or a photo of them."""

    asks_photos: ClassVar[bool] = True

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        angle = Quantity(dimension="angle", unit="°", low=-MOST_DEG, high=MOST_DEG)
        lines = [
            Slot(
                id=f"stored.line.{line.id}",
                label=said("adjusting.stored", what=said("result.line", lens=Name(line.lens))),
                ask="choice",
                options=SEEN,
                aspects=STORED,
                hint=said("adjusting.stored.hint"),
                photos=True,
            )
            for line in epochs.plan.procedure.lines
        ]
        return lines + [
            Slot(
                id=f"stored.{figure.id}",
                label=said("adjusting.stored", what=said(f"adjusting.{figure.way}")),
                quantity=angle,
                aspects=STORED,
                reads="result",
                way=figure.way,
                hint=said("adjusting.stored.hint"),
                photos=True,
            )
            for figure in epochs.plan.procedure.results
        ]

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        read = [found for slot in slots if slot.ask == "number" and (found := epochs.now(slot)) is not None]
        own = {slot.id for slot in slots}
        if any(photo.said.slot in own for photo in epochs.state.photos):
            return Judgement(True, summary=said("adjusting.stored.photo"))
        seen = [epochs.answer(slot) for slot in slots if slot.ask == "choice" and epochs.answer(slot)]
        if len(read) + len(seen) < len(slots):
            return Judgement(False, remark=sentences(said("adjusting.stored.hint")))
        ways = {slot.id: slot.way for slot in slots}
        figures = [amount(found.value, "°", 2, ways[found.slot]) for found in read]
        kept = nouns((*(Noun(f"answer.{one}") for one in seen), *figures), "comma")
        return Judgement(True, summary=said("adjusting.stored.kept", figures=kept))


@check_kind("tilts")
class TiltsCheck(Check):
    """The board's notches tell how far the sensor looks down; what the routine showed must agree."""

    link: ClassVar[Link] = "screws"

    agrees: Limits = Field(description="what the routine showed less what the notches tell, degrees")
    u_response: Positive = Field(0.1, description="of one response, dB, one sigma")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return []

    def found(self, epochs: Epochs) -> Tilted | None:
        """What the notches of the last run told."""
        slot = next((s for check in _leans(epochs) for s in check.slots(epochs) if s.id == "hangs.tilt"), None)
        entries = current(epochs.live("hangs.tilt"), epochs.state, BOARD) if slot is not None else ()
        lean = measured(entries)
        return tilted(epochs.plan.procedure, epochs.state, lean.value if lean is not None else 0.0, self.u_response)

    def judge(self, epochs: Epochs) -> Judgement:
        aimed = aiming(epochs)
        last = aimed.last if aimed is not None else None
        told = self.found(epochs)
        if epochs.state.frozen is None or told is None or last is None or not last.outcome:
            return Judgement(False, remark=sentences(said("result.after_run")))
        if last.outcome == INTERRUPTED:
            return Judgement(True, summary=said("adjusting.interrupted"))
        if told.missing:
            return Judgement(True, mismatch=sentences(said("adjusting.tilts.missing", count=Count(told.missing))))
        if told.pitch is None:
            return Judgement(True, mismatch=sentences(said("adjusting.tilts.refused")))
        beyond = None if told.inside else said("adjusting.tilts.outside")
        pitch = amount(told.pitch, "°", 2, "aim_pitch")
        if last.shown is None:
            return Judgement(False, summary=pitch, remark=sentences(said("adjusting.tilts.type_pitch"), beyond))
        u = math.hypot(told.u, SHOWN_U_DEG)
        off = last.shown.pitch - told.pitch
        figure = self.figure("tilts", said("adjusting.tilts.off"), off, u, self.agrees, "°", "aim_pitch")
        return Judgement(True, (figure,), summary=pitch, remark=sentences(beyond))

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        then = judged.mismatch or sentences(said("adjusting.tilts.then"))
        action = said("move.run_again.action")
        return NextMove("move", said("adjusting.tilts.again"), then, action=action, check=self.id, happening=ATTEMPT)


def _leans(epochs: Epochs) -> list[Check]:
    return [c for c in epochs.plan.procedure.checks if isinstance(c, Check) and c.kind == "target_level"]


@check_kind("screws")
class ScrewsCheck(Check):
    """Two screws turned until the routine passes: as it tells them, with the bracket named where they cannot help."""

    link: ClassVar[Link] = "screws"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return []

    def judge(self, epochs: Epochs) -> Judgement:
        aimed = aiming(epochs)
        last = aimed.last if aimed is not None else None
        if epochs.state.frozen is None or aimed is None or last is None or not last.outcome:
            return Judgement(False, remark=sentences(said("result.after_run")))
        if last.outcome == PASSED:
            return Judgement(True, summary=said("adjusting.passes", count=Count(aimed.turned)))
        if last.outcome != FAILED:
            return Judgement(True, summary=said("adjusting.interrupted"))
        return Judgement(
            True,
            summary=said("adjusting.passes", count=Count(aimed.turned)),
            mismatch=sentences(said("adjusting.failed"), *_warned(epochs, aimed)),
        )

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        aimed = aiming(epochs)
        last = aimed.last if aimed is not None else None
        if aimed is None or last is None:
            return None
        if last.shown is None and last.told is None:
            first, figure = said("adjusting.read_first"), figure_of(epochs.plan.procedure, "aim_yaw")
            then = sentences(said("adjusting.read_first.then"))
            return NextMove("read", first, then, action=first, check="result", slot=ResultPlace("figure", figure).slot)
        return _turning(epochs, aimed, self.id)


@check_kind("mirror")
class MirrorCheck(Check):
    """The sensor's mirror returns the frame's beam to its outlet: its two screws are turned until it does."""

    mended_by_a_move: ClassVar[bool] = True
    link: ClassVar[Link] = "screws"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return list(spot_slots(epochs.plan))

    def judge(self, epochs: Epochs) -> Judgement:
        slots, given, found = self.slots(epochs), epochs.plan.procedure.adjusting, spot_now(epochs)
        limits = given.mirror if given is not None else None
        if found is None or limits is None:
            read = all(epochs.now(slot) is not None for slot in slots)
            return Judgement(False, remark=sentences(said("mirror.square_first" if read else "mirror.hint")))
        figures = (
            self.figure("spot.left", said("mirror.yaw"), found.yaw, found.u_yaw, limits.yaw, "°", "aim_yaw"),
            self.figure("spot.up", said("mirror.pitch"), found.pitch, found.u_pitch, limits.pitch, "°", "aim_pitch"),
        )
        return Judgement(True, figures, nouns((figure.text for figure in figures), "comma"))

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        found = spot_now(epochs)
        return shares(found.yaw_parts if figure.id == "spot.left" else found.pitch_parts) if found is not None else []

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        aimed = aiming(epochs)
        if aimed is None or aimed.last is None or (aimed.to_turn is not None and not any(aimed.to_turn.values())):
            return None
        return _turning(epochs, aimed, self.id)


@check_kind("fixture")
class FixtureCheck(Check):
    """A fixture's tilt by a wheel's beam: proved along the runway near and far, then read where it comes back."""

    limits: Limits = Field(description="of its lean, away from the vehicle positive, degrees")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return fixture_slots(epochs.plan)

    def judge(self, epochs: Epochs) -> Judgement:
        found = fixture_lean(epochs.plan, epochs.now)
        if found is None:
            return Judgement(False, remark=sentences(said("fixture.up_hint")))
        figure = self.figure("rack.spot_up", said("fixture.lean"), found.value, found.u, self.limits, "°", "pitch")
        return Judgement(
            True, (figure,), figure.text, remark=sentences(said("fixture.rises", rises=Angle(found.rises, 2)))
        )

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        found = fixture_lean(epochs.plan, epochs.now)
        return shares(found.parts) if found is not None else []

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        if judged.worst is None:
            return None
        way = "towards" if judged.worst.value > 0 else "away"
        tilt, action = Angle(abs(judged.worst.value), 1), said("move.fixture.action")
        then = sentences(said("fixture.then"))
        sentence = said(f"move.fixture.{way}", amount=tilt)
        return NextMove("move", sentence, then, action=action, figure=tilt, check=self.id, happening="feet")


def _turning(epochs: Epochs, aimed: Aiming, check: str) -> NextMove:
    """The turns to make, or the bracket to look at where they cannot help."""
    bracket = aimed.advised.bracket if aimed.advised is not None else ""
    if bracket:
        then = sentences(said(f"adjusting.bracket.{bracket}"), said("adjusting.bracket.then"))
        look, action = said("adjusting.bracket"), said("adjusting.bracket.action")
        return NextMove("move", look, then, action=action, check=check, happening=MENDED)
    if aimed.to_turn is None:
        ask = said("adjusting.ask_turns")
        return NextMove(
            "answer", ask, sentences(said("adjusting.ask_turns.then")), action=ask, check=check, opens="screws"
        )
    given = epochs.plan.procedure.adjusting
    assert given is not None
    turns = [turned(screw, aimed.to_turn.get(screw.id, 0.0)) for screw in given.screws]
    then = sentences(
        *_warned(epochs, aimed), said(f"adjusting.turn.then.{'routine' if given.mirror is None else 'mirror'}")
    )
    return NextMove(
        "move",
        said(f"adjusting.turn.{given.seen_from}", turns=nouns(turns)),
        then,
        action=said("adjusting.turn.action"),
        figure=nouns(turns, "comma"),
        check=check,
        opens="screws",
    )


def turned(screw: AdjustingScrew, turns: float) -> Said:
    """How one screw is turned, as it is said."""
    way = "none" if not turns else "clockwise" if turns > 0 else "anticlockwise"
    return said(f"adjusting.screw.{way}", screw=Name(screw.name), amount=Turns(abs(turns), eighths=True))


def _warned(epochs: Epochs, aimed: Aiming) -> list[Said | None]:
    """Where the routine's turns differ from what ours have learned."""
    given, ours = epochs.plan.procedure.adjusting, aimed.advised
    if given is None or ours is None or not aimed.unlike:
        return []
    named = nouns(turned(screw, ours.turns[screw.id]) for screw in given.screws if screw.id in aimed.unlike)
    return [said("adjusting.unlike", turns=named)]
