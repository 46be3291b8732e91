"""A yaw screw is learned from told moves: degrees a turn and lost motion, with their uncertainties."""

import numpy as np
import pytest

from escuadra.core.instruments.screw import Mechanics, Taught, change_of, learned, reversal, turns_for

PRIOR = Mechanics(deg_per_turn=0.35, u_deg_per_turn=0.035, lost_deg=0.0, u_lost_deg=0.05)


def played(gain: float, lost: float, turns: list[float], u: float = 0.004, seed: int = 1) -> list[Taught]:
    """What a screw of that gain and lost motion does, read with some noise."""
    noise, found, before = np.random.default_rng(seed), [], 0.0
    for t in turns:
        slack = lost if before and t * before < 0 else 0.0
        change = gain * t - np.sign(gain * t) * slack + noise.normal(0, u)
        found.append(Taught(t, float(change), u, before))
        before = t
    return found


@pytest.mark.parametrize("gain, lost", [(0.35, 0.0), (0.40, 0.06), (0.31, 0.03), (0.37, 0.09)])
def test_gain_and_lost_motion_are_found_within_their_u(gain: float, lost: float) -> None:
    found = learned(PRIOR, played(gain, lost, [3, 2, -2, -1.5, 2.5, -3, 1.2, 1.4, -2]))
    assert found.moves == 9
    assert abs(found.deg_per_turn - gain) < 3 * found.u_deg_per_turn
    assert abs(found.lost_deg - lost) < 3 * found.u_lost_deg + 1e-9
    assert found.u_deg_per_turn < 0.1 * PRIOR.u_deg_per_turn
    assert found.u_lost_deg < 0.2 * PRIOR.u_lost_deg


def test_a_screw_that_turns_the_other_way_is_learned_alike() -> None:
    prior = PRIOR.model_copy(update={"deg_per_turn": -0.35})
    found = learned(prior, played(-0.38, 0.05, [2, -2, 3, -1, 2]))
    assert found.deg_per_turn == pytest.approx(-0.38, abs=3 * found.u_deg_per_turn)
    assert found.lost_deg == pytest.approx(0.05, abs=3 * found.u_lost_deg)


@pytest.mark.parametrize("change", [0.6, -0.6, 0.05, -2.0])
@pytest.mark.parametrize("before", [0.0, 1.0, -1.0])
@pytest.mark.parametrize("gain", [0.35, -0.42])
def test_turns_that_are_told_do_what_is_wanted(change: float, before: float, gain: float) -> None:
    known = Mechanics(deg_per_turn=gain, u_deg_per_turn=0.01, lost_deg=0.03, u_lost_deg=0.01)
    assert change_of(turns_for(change, known, before), known, before) == pytest.approx(change)
    assert turns_for(0.0, known, before) == change_of(0.0, known, before) == 0


def test_what_is_less_than_the_lost_motion_moves_nothing() -> None:
    known = Mechanics(deg_per_turn=0.35, u_deg_per_turn=0.01, lost_deg=0.05, u_lost_deg=0.01)
    assert reversal(-0.1, 1.0) == -1
    assert change_of(-0.1, known, 1.0) == 0, "0.035 degrees of turn against 0.05 of slack"
    assert change_of(0.1, known, 1.0) == pytest.approx(0.035)


def test_halves_learn_what_the_whole_learns() -> None:
    moves = played(0.38, 0.04, [2, -1, 1.5, 2, -2.5, 3])
    whole, halves = learned(PRIOR, moves), learned(learned(PRIOR, moves[:3]), moves[3:])
    assert halves.deg_per_turn == pytest.approx(whole.deg_per_turn, abs=2e-3)
    assert halves.lost_deg == pytest.approx(whole.lost_deg, abs=4e-3)
    assert halves.moves == whole.moves


def test_a_screw_that_turns_the_other_way_is_told_so_and_a_small_move_teaches_no_sense() -> None:
    found = learned(PRIOR, played(-0.36, 0.05, [3.0, -2.5]))
    assert found.deg_per_turn == pytest.approx(-0.36, abs=0.03)
    assert turns_for(0.72, found, 1.0) < 0 < turns_for(0.72, PRIOR, 1.0)
    assert learned(PRIOR, [Taught(0.2, -0.05, 0.03, 1.0)]).deg_per_turn > 0
