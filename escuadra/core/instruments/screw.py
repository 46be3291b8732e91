"""What a frame's yaw screw really does: degrees a turn and lost motion, learned from told moves.

change = g·turns − s·c, where s is the direction (±1) of a move that reverses the one before it, else 0; g degrees a
turn, c the lost motion in degrees. Both start from the profile with its uncertainty and are updated by every move that
was told and then read (linear Bayesian update, JCGM 100 propagation).
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from escuadra.core.base.model import Frozen, NotNegative, Number, Positive

OTHER_WAY = 0.5
"""A move that came so near to the opposite of what was told, as a share of it, went the other way."""
FIRST_SHARE = 0.5
"""Of the lost motion that a first move loses, as far as anybody knows: it may be a reversal or not."""


class Mechanics(Frozen):
    """What is known of a yaw screw."""

    deg_per_turn: Number
    u_deg_per_turn: Positive
    lost_deg: NotNegative
    u_lost_deg: Positive
    moves: int = 0
    """How many told moves taught it."""


@dataclass(frozen=True)
class Taught:
    """One told move and what the readings said it did."""

    turns: float
    change_deg: float
    u_deg: float
    before: float
    """Turns of the yaw move before it on this job; 0 where there was none."""


def reversal(turns: float, before: float) -> float:
    """How much of the lost motion a move loses: its direction where it reverses, a share of it for a first move."""
    if before == 0:
        return FIRST_SHARE * math.copysign(1.0, turns)
    return math.copysign(1.0, turns) if turns * before < 0 else 0.0


def learned(prior: Mechanics, moves: Iterable[Taught]) -> Mechanics:
    """The mechanics after further moves."""
    # In terms of the screw's sense: a profile whose clockwise turns the beam right has a negative g.
    sense = math.copysign(1.0, prior.deg_per_turn)
    state = np.array([prior.deg_per_turn, prior.lost_deg])
    covariance = np.diag([prior.u_deg_per_turn**2, prior.u_lost_deg**2])
    count = prior.moves
    for move in moves:
        s = reversal(move.turns, move.before)
        row = np.array([move.turns, -s * sense])
        if abs(move.change_deg + row @ state) < OTHER_WAY * abs(row @ state) and abs(move.change_deg) > 4 * move.u_deg:
            # As far as was told, the other way: its sense is not the profile's.
            sense, state[0], row[1] = -sense, -state[0], -row[1]
        u2 = move.u_deg**2 + (0.25 * prior.u_lost_deg**2 if move.before == 0 else 0.0)
        gain = covariance @ row / (row @ covariance @ row + u2)
        state = state + gain * (move.change_deg - row @ state)
        covariance = covariance - np.outer(gain, row @ covariance)
        count += 1
    return Mechanics(
        deg_per_turn=float(state[0]),
        u_deg_per_turn=math.sqrt(max(float(covariance[0, 0]), 1e-12)),
        lost_deg=max(0.0, float(state[1])),
        u_lost_deg=math.sqrt(max(float(covariance[1, 1]), 1e-12)),
        moves=count,
    )


def turns_for(change_deg: float, known: Mechanics, before: float) -> float:
    """Turns that change the yaw so far, the lost motion of a reversal allowed for; 0 for no change."""
    if change_deg == 0:
        return 0.0
    plain = change_deg / known.deg_per_turn
    s = reversal(plain, before)
    sense = math.copysign(1.0, known.deg_per_turn)
    return plain + s * sense * known.lost_deg / known.deg_per_turn


def change_of(turns: float, known: Mechanics, before: float) -> float:
    """What so many turns do to the yaw, degrees."""
    if turns == 0:
        return 0.0
    sense = math.copysign(1.0, known.deg_per_turn)
    change = known.deg_per_turn * turns - reversal(turns, before) * sense * known.lost_deg
    return change if change * known.deg_per_turn * turns > 0 else 0.0
