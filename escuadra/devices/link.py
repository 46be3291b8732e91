"""The link to devices on loopback: what it must offer, and the line protocol of the stand-ins (``stand_in``)."""

import json
import socket
from dataclasses import dataclass
from typing import Any

from escuadra.core.base.errors import NoAnswer
from escuadra.core.base.said import from_data, said
from escuadra.core.visit.plan import Plan
from escuadra.devices.camera_rig import Look

PATIENCE_S = 5.0


@dataclass(frozen=True)
class Proposed:
    """A reading that a device proposes; a person accepts it or not."""

    value: float
    """mm or degrees, left positive."""
    device: str
    serial: str
    battery: float | None


class LinkedRig:
    """The devices' rig in a job's bay, with what a page needs to move the stand-in's frame."""

    tool, serial = "rig-1", "stand-in rig-1"

    def __init__(self, devices: "LoopbackDevices", bay: str) -> None:
        self.devices, self.bay = devices, bay

    def look(self, at: int) -> Look:
        """What it sees now; raises ``ConnectionError`` where it does not answer."""
        said = self.devices.ask(ask="rig", bay=self.bay)
        return Look(at, {str(k): float(v) for k, v in said["readings"].items()}, bool(said["steady"]))

    def move(self, at: int, away: float = 0.0, left: float = 0.0, turn_deg: float = 0.0) -> None:
        """Roll, slide or turn the stand-in's frame: mm and degrees in its own axes."""
        self.devices.ask(ask="push", bay=self.bay, away=away, left=left, turn=turn_deg)

    @property
    def connected(self) -> bool:
        """Its cable is in."""
        return self.tool not in self.devices.ask(ask="look", bay=self.bay)["lost"]

    @connected.setter
    def connected(self, there: bool) -> None:
        lost = {*self.devices.ask(ask="look", bay=self.bay)["lost"]} - {self.tool}
        self.devices.ask(ask="set", bay=self.bay, lost=sorted(lost if there else lost | {self.tool}))


class LoopbackDevices:
    """Devices behind a port on this machine."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port

    def ask(self, **question: Any) -> dict[str, Any]:
        """One question, one answer; raises ``ConnectionError`` in words."""
        try:
            with socket.create_connection((self.host, self.port), PATIENCE_S) as line:
                line.settimeout(PATIENCE_S)
                line.sendall((json.dumps(question) + "\n").encode())
                with line.makefile(encoding="utf-8") as answers:
                    answer = json.loads(answers.readline())
            refused = answer.get("error")
            why = said("as_is", text=refused) if isinstance(refused, str) else from_data(refused) if refused else None
        except (OSError, ValueError) as error:
            raise NoAnswer(said("devices.link.devices_do_not_answer")) from error
        if why is not None:
            raise NoAnswer(why)
        return dict(answer)

    def prepare(self, bay: str, plan: Plan) -> None:
        """A virtual bay for a job."""
        floor = {name: known.height for name, known in plan.floors if known.on is None and name != "bay"}
        tilt = [plan.standing.roll_deg.value, plan.standing.pitch_deg.value] if plan.standing is not None else None
        self.ask(ask="prepare", bay=bay, procedure=plan.procedure.id, frame=plan.frame.id, floor=floor, tilt=tilt)

    def read(self, bay: str, device: str, place: str) -> Proposed:
        """What a device shows at a place."""
        said = self.ask(ask="read", bay=bay, device=device, place=place)
        return Proposed(float(said["value"]), str(said["device"]), str(said["serial"]), said.get("battery"))
