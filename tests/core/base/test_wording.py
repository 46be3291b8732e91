"""Value ± U and directions: one table of exact strings."""

import pytest

from escuadra.core.base.quantities import parse
from escuadra.core.base.wording import amount, decimals_for, inches, length_in, rounded, with_uncertainty
from escuadra.words import say


@pytest.mark.parametrize(
    "value, U, unit, way, words",
    [
        (2643.46, 1.14, "mm", None, ("2\u202f643.5\u202fmm", "±\u202f1.1")),
        (2643.46, 3.6, "mm", None, ("2\u202f643\u202fmm", "±\u202f4")),
        (2643.46, 14.0, "mm", None, ("2\u202f643\u202fmm", "±\u202f14")),
        (-7.25, 0.8, "mm", "side", ("7.3\u202fmm right", "±\u202f0.8")),
        (0.2149, 0.0884, "°", "side", ("0.21° left", "±\u202f0.09")),
        (-0.2149, 0.0884, "°", "side", ("0.21° right", "±\u202f0.09")),
        (0.001, 0.09, "°", "side", ("0.00°", "±\u202f0.09")),
        (0.25, 0.0, "°", None, ("0.25°", "±\u202f0")),
        (-12.0, 0.0004, "mm", None, ("−12.0\u202fmm", "±\u202f0.1")),
        (0.17, 0.034, "%", "rise_along", ("0.17\u202f% rising forward", "±\u202f0.03")),
    ],
)
def test_value_and_uncertainty(value: float, U: float, unit: str, way: str | None, words: tuple[str, str]) -> None:
    assert tuple(map(say, with_uncertainty(value, U, unit, way))) == words


@pytest.mark.parametrize(
    "value, decimals, text",
    [(0.5, 0, "1"), (-0.5, 0, "−1"), (1.25, 1, "1.3"), (-0.04, 1, "0.0"), (1234567.0, 0, "1\u202f234\u202f567")],
)
def test_halves_go_away_from_zero(value: float, decimals: int, text: str) -> None:
    assert rounded(value, decimals) == text


@pytest.mark.parametrize(
    "mm, text",
    [
        (2643.1875, "104 1/16"),
        (2643.0, "104 1/16"),
        (25.4, "1"),
        (12.7, "1/2"),
        (0.2, "0"),
        (-38.1, "−1 1/2"),
        (26.9875, "1 1/16"),
        (19.05, "3/4"),
    ],
)
def test_inches_are_said_in_fractions_that_read_back_as_themselves(mm: float, text: str) -> None:
    assert inches(mm) == f"{text}\u202fin"
    again = parse(inches(mm), "length", "mm")[0].value
    assert again == pytest.approx(mm, abs=25.4 / 32)


@pytest.mark.parametrize(
    "unit, text",
    [("mm", "2\u202f739\u202fmm"), ("cm", "273.9\u202fcm"), ("m", "2.739\u202fm"), ("in", "107 13/16\u202fin")],
)
def test_a_length_is_said_in_the_unit_that_a_person_reads_in(unit: str, text: str) -> None:
    assert say(length_in(2738.8, unit)) == text


def test_the_small_words() -> None:
    assert [decimals_for(U, "mm") for U in (0.02, 0.4, 2.4, 3.4, 40)] == [1, 1, 1, 0, 0]
    assert say(amount(3641, "mm", 0)) == "3\u202f641\u202fmm"
