"""A solution that is asked on: the same answers as a new one gives to what was changed."""

import random

import numpy as np
import pytest

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Count, Said
from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.located import TO_BE_LOOKED_AT, Derived, Located, agree_without, located
from escuadra.core.geodesy.state.solution import Work, determined
from tests.core.geodesy.test_state import everything
from tests.english import refused


@pytest.fixture(scope="module")
def given() -> StateInput:
    """A visit with every type of reading, each a little off."""
    data, chance = everything(headings=False), random.Random(11)
    for one in data["observations"]:
        one["value"] += chance.gauss(0, 0.6 * one["u"])
    return StateInput.read(data)


def changed(given: StateInput, observations: tuple[object, ...]) -> Located:
    return located(given.model_copy(update={"observations": observations}))


def first(found: Located, given: StateInput, k: int) -> Derived:
    (told,) = found.asked(given.wanted[k : k + 1])
    assert told is not None
    return told


def test_what_is_asked_later_is_what_was_wanted(given: StateInput) -> None:
    found = located(given)
    for item, told, asked in zip(given.wanted, found.solution.wanted, found.asked(given.wanted), strict=True):
        assert told is not None
        assert asked is not None
        assert (asked.value, asked.u) == pytest.approx((told.value, told.u), rel=1e-9, abs=1e-12), item.id
        assert np.hypot.reduce([share for _, share in found.shares(asked.gradient)]) == pytest.approx(asked.u)
    a, b = (first(found, given, k) for k in (0, 1))
    both = found.sum(3.0, (2.0, a), (-1.0, b))
    covariance = found.solution.covariance
    variance = 4 * covariance[0][0] - 4 * covariance[0][1] + covariance[1][1]  # type: ignore[operator]
    assert (both.value, both.u) == pytest.approx((3 + 2 * a.value - b.value, variance**0.5))


def test_a_further_reading_does_what_was_foretold(given: StateInput) -> None:
    found = located(given)
    for k in (0, 5, 9, 14):
        once_more = given.observations[k].model_copy(update={"id": "more"})
        rows = found.further([once_more])
        assert rows[0] == pytest.approx(found.sensitivity(given.observations[k].id), abs=1e-6)
        again = changed(given, (*given.observations, once_more))
        for w in (0, 2, 4):
            (foretold,) = found.spread_with(first(found, given, w).gradient, rows)
            assert foretold == pytest.approx(first(again, given, w).u, rel=2e-3)
        one, other = (o.id for o in given.observations[:2])
        assert found.alike(one, other, rows[0]) == pytest.approx(again.alike(one, other), abs=2e-3)


def test_without_some_readings_it_is_what_the_others_say(given: StateInput) -> None:
    found = located(given)
    read = found.solution.observations[: len(given.observations)]
    checked = [one.id for one in sorted(read, key=lambda one: -one.redundancy)]
    for names in (checked[:1], checked[1:4], checked[5:7]):
        again = changed(given, tuple(o for o in given.observations if o.id not in names))
        for k in range(4):
            told, agree = found.without(names, first(found, given, k))
            after = first(again, given, k)
            assert told is not None
            assert told.value == pytest.approx(after.value, abs=0.02 * after.u)
            assert told.u == pytest.approx(after.u, rel=5e-3)
            assert agree == again.trusted
    needed = next(one.id for one in read if one.redundancy < 1e-9)
    assert found.without([needed], first(found, given, 0)) == (None, False)


def test_without_the_one_that_was_misread_the_others_agree(given: StateInput) -> None:
    read = located(given).solution.observations[: len(given.observations)]
    wrong, other = (one.id for one in sorted(read, key=lambda one: -one.redundancy)[:2])
    off = [o.model_copy(update={"value": o.value + 40 * o.u}) if o.id == wrong else o for o in given.observations]
    misread = changed(given, tuple(off))
    assert not misread.trusted
    assert misread.without([wrong], first(misread, given, 0))[1]
    assert not misread.without([other], first(misread, given, 0))[1]


def test_a_reading_is_foretold_for_a_frame_elsewhere(given: StateInput) -> None:
    found, (body, _) = located(given), given.bodies[0]
    pose = found.pose(body)
    for reading, told in zip(given.observations, found.solution.observations, strict=False):
        residual = found.would_read(reading.id, body, pose) - reading.value
        if told.w is not None:
            assert abs((residual + 180) % 360 - 180 if abs(residual) > 300 else residual) <= 6 * reading.u


@pytest.mark.parametrize(("k", "times"), [(1, -1.0), (18, 10.0), (20, 1 / 25.4), (23, 10.0)])
def test_one_reading_that_lets_nothing_be_solved_is_given_up_soon_and_named(
    given: StateInput, k: int, times: float
) -> None:
    wrong = given.observations[k]
    misread = wrong.model_copy(update={"value": wrong.value * times})
    data = given.model_copy(
        update={"observations": tuple(misread if one is wrong else one for one in given.observations)}
    )
    with pytest.raises(BadInput) as caught:
        located(data)
    assert isinstance(caught.value.given, Said)
    assert caught.value.given.values["most_rounds"] == Count(30)
    assert [one.id for one in given.observations if agree_without(data, one.id)] == [wrong.id]


def test_tests_are_as_alike_as_their_readings_residuals(given: StateInput) -> None:
    """The correlation of two residuals, by the covariance of the unknowns; one that nothing checks has none."""
    found = located(given)
    slopes = {one.id: found.sensitivity(one.id) for one in given.observations}

    def held(a: str, b: str) -> float:
        return (found.spread(slopes[a] + slopes[b]) ** 2 - found.spread(slopes[a] - slopes[b]) ** 2) / 4

    checked = [id for id in slopes if held(id, id) < 0.9]
    unchecked = next(id for id in slopes if held(id, id) > 1 - 1e-9)
    for a, b in zip(checked[:8], reversed(checked), strict=False):
        alone = (1 - held(a, a)) * (1 - held(b, b))
        assert found.alike(a, b) == pytest.approx(abs(held(a, b)) / alone**0.5, abs=1e-9)
    for pair in ((unchecked, checked[0]), (checked[0], unchecked)):
        with refused(BadInput, match="suspects"):
            found.alike(*pair)


def test_what_is_left_over_has_no_part_that_the_unknowns_could_take(given: StateInput) -> None:
    """Also where the last step was taken by its slopes alone."""
    here = determined(Work(given), TO_BE_LOOKED_AT)
    lengths = np.sqrt((here.matrix**2).sum(axis=0))
    left = np.abs(here.matrix.T @ here.misfit) / np.where(lengths > 0, lengths, 1.0)
    assert left.max() < 1e-12 * np.linalg.norm(here.misfit)


def test_readings_agree_from_wherever_they_are_begun() -> None:
    data = everything(headings=False)
    for k, body in enumerate(data["bodies"].values()):
        body["x"], body["y"], body["yaw_deg"] = body["x"] + 900 - 90 * k, body["y"] - 700, body["yaw_deg"] + 25 - k
    far = StateInput.read(data)
    assert all(agree_without(far, one.id) for one in far.observations[18:24])
