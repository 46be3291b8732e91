"""What a routine showed before it took that as zero, beside what it showed on others: kinds ``peers`` and ``drift``.

Is this vehicle unlike its sisters, unlike itself last time; does one bay, frame or person make all vehicles look the
same way? Groups are compared by the difference of their means (Welch's, two-sided).
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.core.instruments.self_checks import BiasEntry, DriftInput, DriftResult, drift
from escuadra.core.measure.peers import ENOUGH, PeersInput, PeersResult, Residual, peers

DAY_MS = 86_400_000
By = Literal["bay", "frame", "person"]
GROUPS: tuple[By, ...] = ("bay", "frame", "person")
SURE = 0.99
"""So sure that a group differs: of many groups some differ by chance."""


@dataclass(frozen=True)
class Shown:
    """A residual with what it may hang on; ``at``: UTC milliseconds."""

    number: str
    vehicle: str
    bay: str
    frame: str
    person: str
    at: int
    value: float


@dataclass(frozen=True)
class Group:
    """What one bay, frame or person shows, and whether the others show otherwise."""

    by: By
    name: str
    n: int
    mean: float
    others: float | None
    unlike: bool


@dataclass(frozen=True)
class Compared:
    """A figure beside the others; ``own``: this visit's; ``earlier``: this vehicle's own, the newest first."""

    figure: str
    own: Shown
    history: tuple[Shown, ...]
    earlier: tuple[Shown, ...]
    peers: PeersResult
    groups: tuple[Group, ...]
    drift: DriftResult | None
    """Of the frame that this visit used, over all vehicles that it stood before."""


def compared(figure: str, own: Shown, history: Sequence[Shown], half_range: float) -> Compared:
    """A visit's residual beside those of other visits with the same sheet; ``half_range``: half of what is allowed."""
    before = sorted((one for one in history if one.at < own.at), key=lambda one: -one.at)
    given = [Residual(vehicle=one.vehicle, day=one.at / DAY_MS, value=one.value) for one in before]
    found = peers(PeersInput(history=given, vehicle=own.vehicle, value=own.value))
    every = [own, *before]
    groups = [group for by in GROUPS for group in _groups(by, every)]
    earlier = tuple(one for one in before if one.vehicle == own.vehicle)
    return Compared(figure, own, tuple(before), earlier, found, tuple(groups), _drift(own, every, found, half_range))


def _groups(by: By, every: Sequence[Shown]) -> list[Group]:
    key: Callable[[Shown], str] = lambda one: str(getattr(one, by))  # noqa: E731
    found = []
    for name in sorted({key(one) for one in every}):
        inside = [one.value for one in every if key(one) == name]
        outside = [one.value for one in every if key(one) != name]
        mean = math.fsum(inside) / len(inside)
        others = math.fsum(outside) / len(outside) if outside else None
        found.append(Group(by, name, len(inside), mean, others, _unlike(inside, outside)))
    return found


def _unlike(a: Sequence[float], b: Sequence[float]) -> bool:
    if min(len(a), len(b)) < ENOUGH:
        return False
    means, parts = [math.fsum(values) / len(values) for values in (a, b)], []
    for values, mean in zip((a, b), means, strict=True):
        parts.append(math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1) / len(values))
    u = math.sqrt(math.fsum(parts))
    if u == 0:
        return means[0] != means[1]
    from scipy.special import stdtrit

    freedom = sum(parts) ** 2 / sum(p**2 / (len(v) - 1) for p, v in zip(parts, (a, b), strict=True))
    return bool(abs(means[0] - means[1]) > float(stdtrit(freedom, (1 + SURE) / 2)) * u)


def _drift(own: Shown, every: Sequence[Shown], found: PeersResult, half_range: float) -> DriftResult | None:
    """The trend of this visit's frame: each day's mean once, as unsure as one vehicle is unlike the next."""
    days: dict[int, list[float]] = {}
    for one in every:
        if one.frame == own.frame:
            days.setdefault(one.at // DAY_MS, []).append(one.value)
    if len(days) < ENOUGH or not found.s:
        return None
    start = min(days)
    history = [
        BiasEntry(day=day - start, bias=math.fsum(values) / len(values), u=found.s / math.sqrt(len(values)))
        for day, values in sorted(days.items())
    ]
    return drift(DriftInput(history=history, limit=half_range, horizon_days=0))
