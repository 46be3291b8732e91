"""Value ± U and directions: one table of exact strings."""

import pytest

from escuadra.core.quantities import parse
from escuadra.core.wording import amount, counted, decimals_for, inches, length_in, listed, rounded, with_uncertainty

LR = ("left", "right")


@pytest.mark.parametrize(
    "value, U, unit, words, said",
    [
        (2643.46, 1.14, "mm", None, ("2\u202f643.5\u202fmm", "±\u202f1.1")),
        (2643.46, 3.6, "mm", None, ("2\u202f643\u202fmm", "±\u202f4")),
        (2643.46, 14.0, "mm", None, ("2\u202f643\u202fmm", "±\u202f14")),
        (-7.25, 0.8, "mm", LR, ("7.3\u202fmm right", "±\u202f0.8")),
        (0.2149, 0.0884, "°", LR, ("0.21° left", "±\u202f0.09")),
        (-0.2149, 0.0884, "°", LR, ("0.21° right", "±\u202f0.09")),
        (0.001, 0.09, "°", LR, ("0.00°", "±\u202f0.09")),
        (0.25, 0.0, "°", None, ("0.25°", "±\u202f0")),
        (-12.0, 0.0004, "mm", None, ("−12.0\u202fmm", "±\u202f0.1")),
        (0.17, 0.034, "%", ("rising", "falling"), ("0.17\u202f% rising", "±\u202f0.03")),
    ],
)
def test_value_and_uncertainty(
    value: float, U: float, unit: str, words: tuple[str, str] | None, said: tuple[str, str]
) -> None:
    assert with_uncertainty(value, U, unit, words) == said


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
    assert length_in(2738.8, unit) == text


def test_the_small_words() -> None:
    assert [decimals_for(U, "mm") for U in (0.02, 0.4, 2.4, 3.4, 40)] == [1, 1, 1, 0, 0]
    assert amount(3641, "mm", 0) == "3\u202f641\u202fmm"
    assert listed([]) == ""
    assert listed(["a"]) == "a"
    assert listed(["a", "b", "c"]) == "a, b and c"
    assert counted(1, "check") == "1 check"
    assert counted(4, "check") == "4 checks"
