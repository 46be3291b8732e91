"""What a figure's limits are called, and how far it may be moved unnoticed."""

import pytest

from escuadra.core.base.said import Name
from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.visit.checks.base import Figure
from tests.english import told


@pytest.mark.parametrize(
    "lower, upper, nominal, way, closest, limits, most, half_range",
    [
        (-3.0, 3.0, 0.0, None, False, "within 3 mm", 3, 3),
        (-2.5, 2.5, 0.0, None, False, "within 2.5 mm", 2.5, 2.5),
        (-3.0, 3.0, 0.0, None, True, "as close as can be told, and within 3 mm", 3, 3),
        (-3.0, 1.5, 0.0, "side", False, "3 mm right to 1.5 mm left", 1.5, 2.25),
        (1412.0, 1422.0, 1416.0, None, False, "1 412 mm to 1 422 mm", 4, 5),
        (None, 70.0, 0.0, None, False, "at most 70 mm", 70, 1),
        (1.6, None, 2.0, None, False, "at least 1.6 mm", 0.4, 1),
        (0.0, None, 5.0, None, False, "at least 0 mm", 5, 1),
    ],
)
def test_limits_are_said_by_what_they_leave_open(
    lower: float | None,
    upper: float | None,
    nominal: float,
    way: str | None,
    closest: bool,
    limits: str,
    most: float,
    half_range: float,
) -> None:
    judged = verdict(VerdictInput(value=1.0, u=0.5, lower=lower, upper=upper, rule="guarded"))
    figure = Figure("centred", Name(text="Centred"), 1.0, 0.5, lower, upper, "mm", way, judged, nominal, closest)
    assert " ".join(told(figure.allowed).split()) == limits
    assert figure.most == pytest.approx(most)
    assert figure.half_range == half_range
