"""Roads of the garage: where their ends are, how long they are, and what a pass is assumed to bring until it is known.

A pass is what of a trace lies between its two ends; what it brings depends on the window that it is judged by, and so
does the share of it that counts. Source: ``roads`` for the choice; means and their spread over past passes.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.model import CatalogueText, Frozen, NotNegative, Positive
from escuadra.core.road.drive import DriveNeed, Judged
from escuadra.core.road.roads import Pass, Road, RoadsInput, passes_needed, roads, whole_way
from escuadra.core.road.trace import Trace, metres_of

END_M = 150.0
"""So near to an end a trace is at it."""
LIKE_HOURS = 1.5
"""A pass at an hour no further away tells of an hour; with fewer than ``ENOUGH`` of them all passes do."""
ENOUGH = 3


class End(Frozen):
    """An end of a road."""

    name: CatalogueText
    latitude: float = Field(ge=-90, le=90, description="degrees, north positive")
    longitude: float = Field(ge=-180, le=180, description="degrees, east positive")


class RoadProfile(CatalogueEntry):
    """A road on which drives are done."""

    name: CatalogueText
    near: End
    far: End
    length_km: Positive
    near_min: NotNegative = Field(description="from the garage to its near end")
    far_min: NotNegative = Field(description="from the garage to its far end")
    turn_min: NotNegative = Field(description="to turn round at either end")
    limits_kmh: list[Positive] = Field(min_length=1, description="speed limits along it, from the near end on")
    lines: Literal["good", "poor", "none"] = Field(description="how well its lane is marked on both sides")
    share: Positive = Field(le=1, description="of it that is assumed to count while no pass is known")
    pace_kmh: Positive = Field(description="at which a pass is assumed to be driven while none is known")
    remark: CatalogueText | None = None


@dataclass(frozen=True)
class PastPass:
    """A pass that was driven: at which hour of the day, and what it brought."""

    hour: float
    brought: Pass


@dataclass(frozen=True)
class Proposal:
    """A road for what is needed: how often it is driven, and how long all of it takes, with its range."""

    road: RoadProfile
    passes: int | None
    total_s: float | None
    fewest_s: float | None
    """With passes as good as the good ones of the past."""
    most_s: float | None
    """With passes as poor as the poor ones; nothing where those never reach it."""
    share: float
    """Of its length that counts in a pass."""
    spread: float | None
    """Of that share from pass to pass, one standard deviation; nothing with fewer than two."""
    known: int
    """Passes that this rests on; 0: it is assumed."""


def passes_of(trace: Trace, road: RoadProfile) -> list[tuple[int, int]]:
    """First and last sample of every pass of a trace: from the last one at an end to the first one at the other."""
    ends = (road.near, road.far)
    latitude = np.concatenate([trace.latitude, [end.latitude for end in ends]])
    longitude = np.concatenate([trace.longitude, [end.longitude for end in ends]])
    east, north = metres_of(latitude, longitude)
    at = [np.hypot(east[:-2] - east[k], north[:-2] - north[k]) < END_M for k in (-2, -1)]
    found, was, since = [], -1, 0
    for k in np.flatnonzero(at[0] | at[1]).tolist():
        here = 0 if at[0][k] else 1
        if was not in (-1, here):
            found.append((since, k))
        was, since = here, k
    return found


def pass_of(judged: Judged, first: int, last: int) -> Pass:
    """What a pass brought: of the intervals between its first sample and its last."""
    part = slice(first, last)
    counts = judged.counts[part]
    metres, seconds = judged.metres[part], judged.seconds[part]
    counted = float(seconds[counts].sum())
    return Pass(
        counted_km=float(metres[counts].sum()) / 1000, counted_s=counted, total_s=max(counted, float(seconds.sum()))
    )


def assumed(road: RoadProfile) -> Pass:
    """What a pass is taken to bring while none is known."""
    seconds = road.length_km / road.pace_kmh * 3600
    return Pass(counted_km=road.length_km * road.share, counted_s=seconds * road.share, total_s=seconds)


def like(past: Sequence[PastPass], hour: float) -> list[PastPass]:
    """Past passes of about that hour of the day; all of them where those are too few."""
    near = [one for one in past if abs((one.hour - hour + 12) % 24 - 12) <= LIKE_HOURS]
    return near if len(near) >= ENOUGH else list(past)


def proposals(
    need: DriveNeed, hour: float, known: Sequence[tuple[RoadProfile, Sequence[PastPass]]], lines: bool = False
) -> list[Proposal]:
    """Every road for a need, the one that takes least first; those that never reach it last.

    ``lines``: clear lines are asked, so that a road without them never reaches it.
    """
    found = []
    for profile, past in known:
        told = [one.brought for one in like(past, hour)]
        road = Road(
            id=profile.id,
            near_s=profile.near_min * 60,
            far_s=profile.far_min * 60,
            turn_s=profile.turn_min * 60,
            past=told,
            assumed=assumed(profile),
        )
        best = roads(RoadsInput(need=need, roads=[road])).roads[0]
        fits = not lines or profile.lines == "good"
        spread, ends = _spread(need, road, told)
        found.append(
            Proposal(
                profile,
                best.passes if fits else None,
                best.total_s if fits else None,
                ends[0] if fits else None,
                ends[1] if fits else None,
                min(1.0, road.single[0] / profile.length_km),
                spread / profile.length_km if spread is not None else None,
                len(told),
            )
        )
    return sorted(found, key=lambda one: (one.total_s is None, one.total_s or 0.0))


def _spread(need: DriveNeed, road: Road, told: Sequence[Pass]) -> tuple[float | None, list[float | None]]:
    """Standard deviation of a pass's counted kilometres; the whole time with good passes and with poor ones."""
    if len(told) < 2:
        return None, [None, None]
    km, counted, total = (np.array([getattr(one, name) for one in told]) for name in Pass.model_fields)
    ends: list[float | None] = []
    for way in (1.0, -1.0):
        # What counts less takes longer: both stand for the same slow stretches.
        one_km, one_s = (max(0.0, float(a.mean() + way * a.std(ddof=1))) for a in (km, counted))
        each = max(one_s, float(total.mean() - way * total.std(ddof=1)))
        passes = passes_needed(need, one_km, one_s)
        ends.append(None if passes is None else whole_way(road, passes, each))
    if ends[0] is not None and ends[1] is not None and ends[0] > ends[1]:
        ends.reverse()
    return float(km.std(ddof=1)), ends


def less(need: DriveNeed, km: float | None, seconds: float | None) -> DriveNeed | None:
    """What is needed still; nothing where nothing is."""
    asked = {
        "distance_km": km if need.distance_km is not None and km and not math.isclose(km, 0) else None,
        "time_s": seconds if need.time_s is not None and seconds and not math.isclose(seconds, 0) else None,
    }
    return DriveNeed(**asked) if any(asked.values()) else None
