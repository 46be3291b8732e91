"""Sensors of the stand-ins see the target as it truly stands; what the link sees of a run and what it contradicts."""

import json
import math
from dataclasses import dataclass, field
from typing import Any

import pytest

from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import RunStep
from escuadra.core.run.radar import Screw
from escuadra.core.visit.log.codes import UnitRead
from escuadra.devices.diagnosis import RoutineResult, Scan
from escuadra.devices.stand_in import StandIn
from escuadra.devices.virtual_sensors import Misled, VirtualCamera, VirtualRadar
from escuadra.devices.watching import watched
from escuadra.rehearsal.technician import Technician
from tests.english import told

SCREWS = (
    Screw(id="side", yaw_deg_per_turn=0.6, pitch_deg_per_turn=0.0),
    Screw(id="low", yaw_deg_per_turn=0.0, pitch_deg_per_turn=0.7),
)
FITTED = {"by": "radar", "screws": [screw.model_dump() for screw in SCREWS], "travel": 4, "turned": []}
LIMITS = {"yaw": [-0.1, 0.1], "pitch": [-0.1, 0.1]}


def asked(made: StandIn, **question: Any) -> dict[str, Any]:
    return made.answer(json.dumps(question))


def test_a_target_that_stands_wrong_ends_in_a_result_that_is_wrong_by_as_much(teo: Technician) -> None:
    plan = teo.opened.sheet.plan
    made = StandIn(lambda procedure, frame: plan)
    asked(made, ask="car", bay="B", vin="ZZ9", units=["camera_unit"], waiting=["camera_unit"])
    asked(made, ask="sensor", bay="B", unit="camera_unit", by="camera", limits={"yaw": [-0.5, 0.5]})
    asked(made, ask="key", bay="B", on=False)
    asked(made, ask="key", bay="B", on=True)

    def shown() -> dict[str, Any]:
        asked(made, ask="routine", bay="B", unit="camera_unit")
        return asked(made, ask="results", bay="B", unit="camera_unit")

    good = shown()
    assert good["outcome"] == "passed", "without a bay its target stands where it should"
    asked(made, ask="prepare", bay="B", procedure="BL-CAM-01", frame="galga-2")
    asked(made, ask="set", bay="B", away=0, left=60, yaw=0, height=-25)
    bad = shown()
    reach = plan.target_x - plan.procedure.sensor.x
    assert bad["outcome"] == "failed"
    for name, off in (("yaw", 60), ("pitch", 25)):
        assert bad["figures"][name] - good["figures"][name] == pytest.approx(math.degrees(off / reach), abs=0.12)
    waits = {unit["unit"]: unit["codes"] for unit in asked(made, ask="scan", bay="B")["units"]}
    assert [code["state"] for code in waits["camera_unit"]].count("active") == 1, "its calibration is missing again"


def test_a_radar_loses_motion_where_it_is_turned_back_and_ends_with_its_screws() -> None:
    one = VirtualRadar(SCREWS, 4.0, "lash")
    one.slack = dict.fromkeys(one.slack, 0.1)
    one.taken_up = dict.fromkeys(one.slack, 0.1)
    gain = one.does["side"][0]
    for turns, moves in ((1.0, 1.0), (-0.5, -0.4), (-0.5, -0.5), (0.25, 0.15), (9.0, 3.75)):
        before = one.yaw
        one.turn({"side": turns})
        assert one.yaw - before == pytest.approx(gain * moves), turns
    best = max((one.respond(tilt, Misled(pitch=0.8)), tilt) for tilt in (one.pitch, one.pitch + 0.8, one.pitch + 1.6))
    assert best[1] == pytest.approx(one.pitch + 0.8), "a board that leans is answered best where it faces the radar"
    made = StandIn(lambda procedure, frame: pytest.fail("no bay"))
    asked(made, ask="car", bay="C", vin="ZZ9", units=["radar_unit", "other"], waiting=[])
    asked(made, ask="sensor", bay="C", unit="radar_unit", limits=LIMITS, **FITTED)
    asked(made, ask="routine", bay="C", unit="radar_unit")
    first = asked(made, ask="results", bay="C", unit="radar_unit")
    assert first["outcome"] == "failed"
    asked(made, ask="turn", bay="C", unit="radar_unit", turns=first["turns"])
    asked(made, ask="routine", bay="C", unit="radar_unit")
    second = asked(made, ask="results", bay="C", unit="radar_unit")["figures"]
    assert max(map(abs, second.values())) < 0.5 * max(map(abs, first["figures"].values()))
    asked(made, ask="key", bay="C", on=False)
    asked(made, ask="key", bay="C", on=True)
    assert "wants.radar_with_screws" in json.dumps(asked(made, ask="respond", bay="C", unit="other", tilt=0))


def test_lenses_share_their_holder() -> None:
    both = VirtualCamera("two", ["wide", "narrow"])
    for pitch, stands in ((0.0, "between"), (0.9, "above"), (-0.9, "below")):
        assert both.lines(Misled(pitch=pitch)) == dict.fromkeys(("wide", "narrow"), stands)


@dataclass
class Link:
    """A vehicle on the link, as far as a run looks at it."""

    voltage: float = 13.1
    awake: bool = True
    outcome: str = ""
    asked: list[str] = field(default_factory=list)

    def scan(self) -> Scan:
        return Scan("ZZ9", self.voltage, self.awake, (UnitRead(unit="u"),))

    def results(self, unit: str) -> RoutineResult:
        return RoutineResult(self.outcome, {}, {}, {})


VOLTS = Limits(nominal=13.2, minus=0.9, plus=1.5)
WATCHED = [
    (Link(), {"key": "on", "link": "key"}, "", True),
    (Link(), {"key": "on"}, "", False),
    (Link(awake=False), {"key": "on", "link": "key"}, "the key is off", False),
    (Link(), {"key": "off", "link": "key"}, "the key is on", False),
    (Link(awake=False), {"key": "off", "link": "key"}, "", True),
    (Link(), {"key": "accessory", "link": "key"}, "", False),
    (Link(voltage=12.2), {"key": "on", "link": "key"}, "wants 12.3", False),
    (Link(voltage=12.3), {"link": "start"}, "", False),
    (Link(), {"link": "answer"}, "", False),
    (Link(outcome="failed"), {"link": "answer"}, "", True),
]


@pytest.mark.parametrize("link, step, against, done", WATCHED)
def test_what_the_link_sees_of_a_step(link: Any, step: dict[str, Any], against: str, done: bool) -> None:
    seen = watched(RunStep.read({"id": "s", "does": "this", **step}), link, "u", VOLTS)
    assert seen.done is done
    assert (against in told(seen.against)) if against else seen.against is None
