"""The stand-ins' line protocol: what is asked and answered, what is refused, and how they end."""

import json
import math
import os
import subprocess
import sys
import time
from typing import Any

import pytest

from escuadra.commands import Garage
from escuadra.core.base.errors import BadInput, NoAnswer
from escuadra.core.base.said import from_data, said
from escuadra.core.visit.plan import Plan
from escuadra.devices import LoopbackDevices
from escuadra.devices.stand_in import StandIn
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from tests.core.visit.test_stations import begun
from tests.english import refused, told
from tests.web.conftest import Visitor


@pytest.fixture
def stand_in(teo: Technician) -> StandIn:
    plan: Plan = teo.opened.sheet.plan
    made = StandIn(lambda procedure, frame: plan)
    assert ask(made, ask="prepare", bay="B", procedure="BL-CAM-01", frame="galga-2") == {"bay": "B"}
    return made


def ask(made: StandIn, **question: Any) -> dict[str, Any]:
    return made.answer(json.dumps(question))


def test_a_device_reads_the_bay_as_it_was_set(stand_in: StandIn) -> None:
    ask(stand_in, ask="set", bay="B", away=4, left=-3, yaw=0.2, roll=0.1, pitch=-0.05, height=7)
    state = ask(stand_in, ask="look", bay="B")
    assert (state["distance"], state["centre"], state["yaw"], state["height"]) == pytest.approx(
        (4, -3, 0.2, 7), abs=1e-3
    )
    seen = [ask(stand_in, ask="read", bay="B", device="level-1", place="level.roll") for _ in range(40)]
    assert sum(s["value"] for s in seen) / 40 == pytest.approx(0.1, abs=0.01)
    assert {s["unit"] for s in seen} == {"°"}
    meter = ask(stand_in, ask="read", bay="B", device="meter-1", place="height.target")
    assert meter["value"] == pytest.approx(1417 + 7, abs=2)
    assert (meter["device"], meter["serial"]) == ("meter-1", "stand-in meter-1")


def test_a_hidden_blunder_and_a_low_battery_are_in_what_is_sent(stand_in: StandIn) -> None:
    plain = ask(stand_in, ask="read", bay="B", device="meter-1", place="tape.LF.RF_end")["value"]
    ask(stand_in, ask="set", bay="B", blunder={"tape.LF.RF_end": 30}, battery={"meter-1": 6})
    wrong = ask(stand_in, ask="read", bay="B", device="meter-1", place="tape.LF.RF_end")
    assert wrong["value"] - plain == pytest.approx(30, abs=3)
    assert wrong["battery"] == 6


@pytest.mark.parametrize(
    "question, said",
    [
        ({"ask": "read", "bay": "X", "device": "meter-1", "place": "crossing"}, "a bay that was prepared"),
        ({"ask": "read", "bay": "B", "device": "clock", "place": "crossing"}, "one of meter-1"),
        ({"ask": "read", "bay": "B", "device": "meter-1", "place": "the moon"}, "a place that these devices"),
        ({"ask": "sing", "bay": "B"}, "prepare, read, rig, look, set, push or obey"),
        ({"ask": "set", "bay": "B", "yaw": 1e9}, "finite figures"),
        ({"ask": "set", "bay": "B", "away": "far"}, "not understood"),
        ({"ask": "set", "bay": "B", "lost": ["meter-1"]}, ""),
    ],
)
def test_what_is_refused_is_said(stand_in: StandIn, question: dict[str, Any], said: str) -> None:
    answer = ask(stand_in, **question)
    assert said in told(from_data(answer["error"]) if "error" in answer else "")
    assert ("error" in answer) is bool(said)


def test_what_is_no_json_is_answered_too(stand_in: StandIn) -> None:
    for line in ("", "[1]", "{", "\x00"):
        assert "error" in stand_in.answer(line)
    ask(stand_in, ask="set", bay="B", lost=["meter-1"])
    lost = ask(stand_in, ask="read", bay="B", device="meter-1", place="height.target")
    assert "a device that answers" in told(from_data(lost["error"]))


def test_they_answer_on_loopback_and_end_with_their_starter(teo: Technician) -> None:
    port = 20_000 + os.getpid() % 20_000
    command = [sys.executable, "-m", "escuadra.cli", "devices", "--port", str(port), "--while-open"]
    child = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)
    try:
        devices = LoopbackDevices("127.0.0.1", port)
        for _ in range(600):
            try:
                devices.prepare("T", teo.opened.sheet.plan)
                break
            except ConnectionError:
                time.sleep(0.1)
        assert devices.read("T", "meter-1", "height.target").serial == "stand-in meter-1"
        with refused(ConnectionError, match="a place that these devices"):
            devices.read("T", "meter-1", "nowhere")
        assert child.stdin is not None
        child.stdin.close()
        assert child.wait(30) == 0
        with refused(ConnectionError, match="do not answer"):
            devices.read("T", "meter-1", "height.target")
    finally:
        child.kill()
        child.wait()


class Nobody:
    """Devices whose cable was pulled."""

    def prepare(self, bay: str, plan: Plan) -> None:
        raise NoAnswer(said("devices.link.devices_do_not_answer"))


def test_without_devices_the_sheet_offers_none_and_the_page_says_why(teo: Technician) -> None:
    visitor = Visitor(teo.garage)
    path = f"/jobs/{teo.job}?check=level&slot=level.roll"
    assert "Read from" not in visitor.client.get(path).text
    assert "No devices are set up" in visitor.client.get(f"/jobs/{teo.job}/devices").text
    fields = {"check": "level", "slot": "level.roll", "sender": "level-1", "typed": "0.1"}
    visitor.client.app.state.devices = Nobody()  # type: ignore[attr-defined]
    assert "Read from Digital level" in visitor.client.get(path).text
    answer = visitor.post(f"/jobs/{teo.job}/devices/propose", fields)
    assert answer.status_code == 409
    assert "Nothing was read: the devices do not answer" in answer.text
    assert 'value="0.1"' in answer.text, "what was typed stays"
    assert not teo.opened.state.entries


def test_a_stand_is_taped_in_the_bay_and_moved_as_told(garage: Garage) -> None:
    who = begun(garage, "BL-SUR-01", reason="surround control unit replaced")
    bay = VirtualBay(who.opened.sheet.plan, (0.0, 0.0, 0.0, 0.0), seed=1)
    exact = [bay.at(f"stand.left.{edge}_edge.hub_{hub}") for edge in ("left", "right") for hub in ("LF", "RF")]
    assert all(800 < length < 6000 for length in exact)
    width = bay.plan.at_stations["left"].target.width
    assert abs(exact[0] - exact[2]) < width, "two edges of one board"
    bay.obey("stand", {"forward": -27.0, "left": 16.0})
    assert math.hypot(*bay.stand[:2]) < 8
    with refused(BadInput, match="a target position of this procedure sheet"):
        bay.at("stand.nowhere.centre.LF_hub")
