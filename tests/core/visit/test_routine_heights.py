"""Ride heights for the vehicle's own routine: read just then, as it wants them, and read back."""

from typing import Any

import pytest

from escuadra.commands.running import TakeStep
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.procedure.routine import Routine
from escuadra.core.visit.conductor import HEIGHTS_S, conducted
from escuadra.core.visit.log.events import RunStepped
from escuadra.rehearsal.technician import Technician
from tests.core.visit.test_adjusting import bus
from tests.english import refused, told

__all__ = ["bus"]
ARCHES = {"LF": 712.0, "RF": 715.4, "LR": 724.0, "RR": 727.0}
TYPED: list[tuple[dict[str, Any], dict[str, float]]] = [
    ({"values": 1, "unit": "mm"}, {"mean": 720}),
    ({"values": 2, "unit": "mm"}, {"front": 714, "rear": 726}),
    ({"values": 2, "by": "side", "unit": "cm"}, {"left": 71.8, "right": 72.1}),
    ({"values": 4, "unit": "in"}, {"LF": 28.0, "RF": 28.2, "LR": 28.5, "RR": 28.6}),
    ({"values": 2, "unit": "cm", "step": 0.5}, {"front": 71.5, "rear": 72.5}),
    ({"values": 2, "unit": "cm", "step": 0.5, "rounds": "down"}, {"front": 71.0, "rear": 72.5}),
    ({"values": 2, "unit": "cm", "step": 0.5, "rounds": "up"}, {"front": 71.5, "rear": 73.0}),
    ({"values": 1, "unit": "mm", "step": 5}, {"mean": 720}),
]


@pytest.mark.parametrize("given, typed", TYPED)
def test_heights_are_converted_and_rounded_as_the_routine_wants_them(
    given: dict[str, Any], typed: dict[str, float]
) -> None:
    assert Routine.read(given).to_type(ARCHES) == pytest.approx(typed, abs=1e-9)  # type: ignore[arg-type]


def test_a_height_that_the_routine_does_not_take_is_named() -> None:
    routine = Routine(values=2, by="axle", unit="cm", step=0.5, least=60, most=72)
    with refused(BadInput, match="rear.*72.5.*from 60.0.*to 72.0"):
        routine.to_type(ARCHES)  # type: ignore[arg-type]
    with refused(BadInput, match="more than least"):
        Routine.read({"values": 1, "unit": "mm", "least": 700, "most": 600})


def test_they_are_read_just_then_and_read_back(bus: Technician) -> None:
    for id in ("key_on", "supported", "cleared", "opened"):
        bus.step(id)

    def said(what: Any, **more: Any) -> None:
        bus.garage.do(TakeStep(bus.job, "ride", what, **more), "teo", bus.id())

    heights = {"LF": "71.2 cm", "RF": "713 mm", "LR": "723", "RR": "724"}
    with refused(Conflict, match="Read the arches first"):
        said("done")
    with pytest.raises(BadInput) as wrong:
        said("begun", heights={**heights, "LR": "high"})
    assert wrong.value.field == "height_LR"
    with refused(Conflict, match="LR stands 17.mm higher"):
        said("begun", heights={**heights, "LR": "740"})
    said("begun", heights=heights)
    now = conducted(bus.opened.sheet.plan.procedure, bus.opened.state).now
    assert now is not None
    assert now.typed == {"front": 71.5, "rear": 72.5}
    with refused(BadInput, match="what was to be typed: 72.5"):
        said("done", back={"front": "71.5", "rear": "75.2"})
    bus.at += int(HEIGHTS_S * 1000)
    with refused(Conflict, match="too long ago"):
        said("done", back={"front": "71,5 cm", "rear": "72.5"})
    said("begun", heights=heights)
    said("done", back={"front": "71,5 cm", "rear": "72.5"})
    kept = [one.said for one in bus.opened.state.steps]
    assert [one.typed for one in kept if isinstance(one, RunStepped) and one.step == "ride" and one.what == "done"] == [
        {"front": 71.5, "rear": 72.5}
    ]
    assert told(bus.check("ride_height").judgement.remark).count("Type into the vehicle's routine: front 71.5") == 1
