"""One run, several cameras: which of them the attempt at hand is of, and which runs then count."""

import pytest

from escuadra.catalogue import Catalogue
from escuadra.core.base.stream import Person, made
from escuadra.core.visit.attempts import FAILED, PASSED, failed_before, standing_runs
from escuadra.core.visit.log.disturbances import ATTEMPT, MENDED
from escuadra.core.visit.log.events import Answered, Disturbed, ProcedureRun, VisitPayload
from escuadra.core.visit.log.places import ResultPlace
from escuadra.core.visit.log.state import State, fold

ALL = ("front", "left", "right", "rear")
"""Cameras of a sheet that is run before the vehicle and behind it; the last one stands behind."""


def ran(*stations: str) -> list[VisitPayload]:
    return [ProcedureRun(station=one, name=one, said=[], tools=[]) for one in stations]


def told(*passed: str, but: tuple[str, ...] = ()) -> list[VisitPayload]:
    values = [(one, PASSED) for one in passed] + [(one, FAILED) for one in but]
    return [Answered(slot=ResultPlace("camera", one).slot, value=value) for one, value in values]


def again(what: str = ATTEMPT) -> list[VisitPayload]:
    return [Disturbed(what=what)]


BOTH = ran("front", "rear")
FIRST = [*BOTH, *told("front", "left", "right", but=("rear",))]
SECOND = [*FIRST, *again(), *ran("rear"), *told(but=("rear",))]


@pytest.mark.parametrize(
    ("said", "alone", "counts"),
    [
        ([*FIRST], "", [1, 2]),
        ([*FIRST, *again()], "rear", [1]),
        ([*FIRST, *again(), *ran("rear")], "rear", [1, 8]),
        ([*FIRST, *again(MENDED)], "", []),
        ([*FIRST, *again(), *again(MENDED)], "", []),
        ([*BOTH, *told("front", "left", but=("rear",)), *again()], "", []),
        ([*BOTH, *told(*ALL), *again()], "", []),
        ([*BOTH, *told(but=ALL), *again()], "front left rear right", []),
        ([*SECOND, *again()], "rear", [1]),
        ([*SECOND, *again(), *ran("rear")], "rear", [1, 11]),
        ([*FIRST, *again(), *ran("rear"), *told("rear"), *again()], "", []),
        (
            [*BOTH, *told("left", "right", but=("front", "rear")), *again(), *BOTH, *told(but=("front",)), *again()],
            "",
            [],
        ),
        ([*again()], "", []),
    ],
)
def test_the_next_attempt_is_of_the_cameras_that_failed_alone(
    catalogue: Catalogue, said: list[VisitPayload], alone: str, counts: list[int]
) -> None:
    """``counts``: by their numbers in what was said, the runs that count."""
    procedure = catalogue.get("procedure", "BL-SUR-02").content
    somebody = Person(id="a", name="A")
    state = fold(State(), [made("visit/v", seq, f"e{seq}", seq, somebody, one) for seq, one in enumerate(said, 1)])
    assert failed_before(state, procedure) == frozenset(alone.split())
    assert [run.seq for run in standing_runs(state, procedure)] == counts
    one_result = procedure.model_copy(update={"cameras": []})
    assert failed_before(state, one_result) == frozenset()
