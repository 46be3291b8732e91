"""Moves that were told: what they taught about the frame, and where it should stand by now without being read again.

A plan of several moves is done one after the other; each is predicted from the pose that was read last, so that nothing
is read in between but what would decide. Source: ``moves``; ``mechanics``.
"""

import math
from dataclasses import dataclass

from escuadra.core.base.axes import Pose, short_way, turned
from escuadra.core.base.said import Text
from escuadra.core.instruments.screw import OTHER_WAY, Mechanics, Taught, change_of, learned, turns_for
from escuadra.core.procedure.profiles import FrameProfile
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.state import Disturbance
from escuadra.core.visit.next_move import Step
from escuadra.core.visit.solution.solution import EpochSolution

ROLLED_U_DEG = 0.03
"""What rolling or sliding a frame by hand does to its yaw, one sigma."""
OTHER_WAY_MM = 3.0
"""What a move must change a reading by before its sense is seen in it."""
AS_TOLD = ("yaw", "slide", "roll")


@dataclass(frozen=True)
class Predicted:
    """Where a frame should stand after what was told since it was read."""

    solution: EpochSolution
    pose: Pose
    moves: tuple[Disturbance, ...]


def mechanics(epochs: Epochs) -> Mechanics:
    """The yaw screw as the profile, earlier jobs and this one know it."""
    return epochs.once(_mechanics)


def of_profile(frame: FrameProfile) -> Mechanics:
    """What the profile says, before anything was learned."""
    return Mechanics(
        deg_per_turn=frame.yaw_deg_per_turn,
        u_deg_per_turn=abs(frame.yaw_deg_per_turn) * frame.u_yaw_share,
        lost_deg=0.0,
        u_lost_deg=max(frame.yaw_lost_deg, 1e-3),
    )


def _mechanics(epochs: Epochs) -> Mechanics:
    known = epochs.state.frame_known
    prior = known if known is not None else of_profile(epochs.plan.frame)
    return learned(prior, taught(epochs))


def screw_step(epochs: Epochs, change_deg: float) -> Step:
    """The yaw screw's turns for a change of yaw, left positive, as they are said."""
    asked = turns_for(change_deg, mechanics(epochs), last_turns(epochs))
    return Step("screw", as_said(asked), "LF_end" if epochs.plan.frame.screw[1] > 0 else "RF_end")


def as_said(value: float, decimals: int = 1) -> float:
    """A figure as it is said on the screen, halves away from zero."""
    return math.copysign(math.floor(abs(value) * 10**decimals + 0.5) / 10**decimals, value)


def last_turns(epochs: Epochs, before: int | None = None) -> float:
    """Turns of the last yaw move that was told (before an event); 0 where there was none."""
    for past in reversed(epochs.boundaries):
        if past.what == "yaw" and (before is None or past.seq < before) and past.by.get("turns"):
            return past.by["turns"]
    return 0.0


def taught(epochs: Epochs) -> list[Taught]:
    """Yaw moves told between two readings of the whole pose, and what the readings said they did."""
    found: list[Taught] = []
    read: tuple[int, EpochSolution] | None = None
    if not any(past.what == "yaw" and past.by.get("turns") for past in epochs.boundaries):
        return found
    for epoch in range(epochs.epoch + 1):
        solution = epochs.solve(epoch)
        if solution is None or not solution.trusted:
            continue
        if read is not None:
            between = epochs.boundaries[read[0] : epoch]
            yaw = [past for past in between if past.what == "yaw"]
            if len(yaw) == 1 and yaw[0].by.get("turns") and all(past.what in AS_TOLD for past in between):
                before = read[1]
                change = short_way(solution.pose.yaw_deg - before.pose.yaw_deg)
                u = math.hypot(before.yaw.u, solution.yaw.u, ROLLED_U_DEG if len(between) > 1 else 0.0)
                found.append(Taught(yaw[0].by["turns"], change, u, last_turns(epochs, yaw[0].seq)))
        read = (epoch, solution)
    return found


def predicted(epochs: Epochs) -> Predicted | None:
    """The pose by what was told since the last one that was read; nothing where something else happened to the frame.

    Nothing, too, where nothing was told since: then it stands where it was read.
    """
    return _as_told(epochs, epochs.epoch)


def _as_told(epochs: Epochs, last: int) -> Predicted | None:
    """Where all moves since the last epoch that was read, of those up to one, should have brought the frame."""
    for epoch in range(last, -1, -1):
        solution = epochs.solve(epoch)
        if solution is not None:
            break
    else:
        return None
    since = epochs.boundaries[epoch:]
    if not since or not solution.trusted or solution.line is None:
        return None
    pose = solution.pose
    for past in since:
        moved = _after(pose, past, epochs)
        if moved is None:
            return None
        pose = moved
    return Predicted(solution, pose, tuple(since))


@dataclass(frozen=True)
class OtherWay:
    """A reading that went away from where moves as told should have brought it."""

    what: Text
    was: float
    expected: float
    shows: float
    screw: bool
    """The screw was turned: it is told the other way from now on where its turn shows that."""


def other_way(epochs: Epochs) -> OtherWay | None:
    """The newest reading, where it shows that the frame went the other way than it was told to."""
    # Nothing is solved for it where the newest reading does not follow a move as told.
    newest = max((kept[-1].seq for kept in epochs.state.entries.values()), default=0)
    last = epochs.boundaries[-1] if epochs.boundaries else None
    if last is None or last.what not in AS_TOLD or not last.by or newest <= last.seq:
        return None
    told = _as_told(epochs, epochs.epoch - 1)
    if told is None:
        return None
    for id in told.solution.observations:
        kept = epochs.live(id.place) if id.kind.again and id.kind.of_frame else ()
        before = [e for e in kept if e.seq < told.moves[0].seq]
        if not before or kept[-1].seq != newest:
            continue
        was, shows = before[-1].value, kept[-1].value
        change = told.solution.would_read(id, told.pose) - told.solution.would_read(id, told.solution.pose)
        if abs(change) > OTHER_WAY_MM and (shows - was) * change < 0 and abs(shows - was) > OTHER_WAY * abs(change):
            return OtherWay(id.words, was, was + change, shows, any(move.what == "yaw" for move in told.moves))
    return None


def _after(pose: Pose, past: Disturbance, epochs: Epochs) -> Pose | None:
    if past.what not in AS_TOLD or not past.by:
        return None
    if past.what == "yaw":
        change = change_of(past.by.get("turns", 0.0), mechanics(epochs), last_turns(epochs, past.seq))
        yaw = pose.yaw_deg + change
        (ax, ay), (bx, by) = (turned(a, *epochs.plan.frame.pivot) for a in (pose.yaw_deg, yaw))
        return Pose(x=pose.x + ax - bx, y=pose.y + ay - by, yaw_deg=yaw)
    dx, dy = turned(pose.yaw_deg, past.by.get("away", 0.0), past.by.get("left", 0.0))
    return Pose(x=pose.x + dx, y=pose.y + dy, yaw_deg=pose.yaw_deg)


def used_travel(epochs: Epochs) -> dict[str, float]:
    """How far the slide and the screw were moved as told since their zero marks were set: mm and degrees."""
    entry = next((e for e in reversed(epochs.live("tick.zero"))), None)
    since = entry.seq if entry is not None else 0
    moved = [past for past in epochs.state.disturbances if past.seq > since]
    known = mechanics(epochs)
    return {
        "slide": math.fsum(past.by.get("left", 0.0) for past in moved if past.what == "slide"),
        "yaw": math.fsum(past.by.get("turns", 0.0) * known.deg_per_turn for past in moved if past.what == "yaw"),
    }
