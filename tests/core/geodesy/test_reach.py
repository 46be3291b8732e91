"""How far a mistake reaches: what ``state`` says of a hypothesis, of one look among several, after a reading more."""

import random

import numpy as np
import pytest

from escuadra.core.geodesy.state.input import Hypothesis, StateInput
from escuadra.core.geodesy.state.located import Derived, Located, located
from escuadra.core.geodesy.state.reach import Reaching, Slip, of_looks
from tests.core.geodesy.test_state import everything

CAP = 900.0


@pytest.fixture(scope="module")
def given() -> StateInput:
    """A visit with every type of reading, each a little off."""
    data, chance = everything(headings=False), random.Random(5)
    for one in data["observations"]:
        one["value"] += chance.gauss(0, 0.6 * one["u"])
    return StateInput.read(data)


def asked(found: Located, given: StateInput) -> list[Derived]:
    told = found.asked(given.wanted)
    assert None not in told
    return [one for one in told if one is not None]


def reaches(reaching: Reaching, wanted: list[Derived]) -> np.ndarray:
    """Slips (rows) by quantities (columns)."""
    return np.stack([reaching.now(one) for one in wanted], axis=1)


def test_a_mistake_reaches_as_far_as_its_hypothesis_says(given: StateInput) -> None:
    names = [o.id for o in given.observations]
    effects = [((names[k], 1.0),) for k in range(len(names))] + [((names[0], 1.0), (names[3], -0.5))]
    hypotheses = tuple(Hypothesis(id=str(k), effect=effect, cap=CAP) for k, effect in enumerate(effects))
    found = located(given.model_copy(update={"hypotheses": hypotheses}))
    slips = [Slip(effect, 1, 1.0, CAP) for effect in effects]
    reach = reaches(Reaching(found, slips), asked(found, given))
    tests = found.tested(effects)
    for k, doubted in enumerate(found.solution.hypotheses):
        assert reach[k] == pytest.approx(doubted.reach, rel=1e-6, abs=1e-9), effects[k]
        assert tests[k] == (None if doubted.w is None else pytest.approx(abs(doubted.w), rel=1e-6))


def test_one_look_among_several_is_a_reading_among_several(given: StateInput) -> None:
    for k, looks in ((0, 2), (4, 3), (7, 2)):
        whole = given.observations[k]
        parts = tuple(
            whole.model_copy(update={"id": f"look {n}", "u": whole.u * looks**0.5, "instrument": ()})
            for n in range(looks)
        )
        alone = whole.model_copy(update={"instrument": ()})
        others = tuple(o for o in given.observations if o is not whole)
        together = located(given.model_copy(update={"observations": (*others, alone)}))
        apart = located(given.model_copy(update={"observations": (*others, *parts)}))
        slip = Slip(((whole.id, 1.0),), looks, whole.u * looks**0.5, CAP)
        one = Slip((("look 0", 1.0),), 1, 1.0, CAP)
        found = reaches(Reaching(together, [slip]), asked(together, given))
        assert found == pytest.approx(reaches(Reaching(apart, [one]), asked(apart, given)), rel=1e-6)


@pytest.mark.parametrize("looks, left", [(1, CAP), (2, 2.9218 * 0.4), (3, 1.6869 * 0.4)])
def test_what_nothing_else_checks_is_guarded_by_looks_alone(looks: int, left: float) -> None:
    """Two equal looks leave 2.92 u of one, three 1.69; one alone leaves what would not be asked about."""
    assert of_looks(looks, 0.4, CAP) == pytest.approx(left, rel=1e-4)


def test_a_reading_more_guards_as_foretold(given: StateInput) -> None:
    found = located(given)
    slips = [Slip(((o.id, 1.0),), 1, 1.0, CAP) for o in given.observations[:12]]
    reaching, wanted = Reaching(found, slips), asked(found, given)
    for k in (2, 6, 9):
        more = given.observations[k].model_copy(update={"id": "more"})
        (row,) = found.further([more])
        then = located(given.model_copy(update={"observations": (*given.observations, more)}))
        again = reaches(Reaching(then, slips), asked(then, given))
        foretold = np.stack([reaching.with_row(one, row) for one in wanted], axis=1)
        for one in wanted:
            # What all of them and the reading more add up to is the quantity's variance after it.
            own, along = found.halves([one.gradient, row])
            added = float(own @ along) / (1 + float(along @ along))
            (after,) = found.spread_with(one.gradient, row[None])
            assert np.hypot(np.linalg.norm(found.effects_with(one.gradient, row)), added) == pytest.approx(after)
        assert foretold == pytest.approx(again, rel=2e-2, abs=1e-3)
        assert float(again[k].max()) < float(reaches(reaching, wanted)[k].max())
