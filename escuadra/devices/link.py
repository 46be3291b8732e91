"""The link to devices on loopback: what it must offer, and the line protocol of the stand-ins (``stand_in``)."""

import json
import socket
from dataclasses import dataclass
from typing import Any, Protocol

PATIENCE_S = 5.0


@dataclass(frozen=True)
class Proposed:
    """A reading that a device proposes; a person accepts it or not."""

    value: float
    """mm or degrees, left positive."""
    device: str
    serial: str
    battery: float | None


class Devices(Protocol):
    """Devices that can be read."""

    def read(self, bay: str, device: str, place: str) -> Proposed:
        """What a device shows; raises ``ConnectionError`` in words where it does not answer."""
        ...


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
        except (OSError, ValueError) as error:
            raise ConnectionError("the devices do not answer") from error
        if "error" in answer:
            raise ConnectionError(str(answer["error"]))
        return dict(answer)

    def prepare(self, bay: str, procedure: str, frame: str) -> None:
        """A virtual bay for a job."""
        self.ask(ask="prepare", bay=bay, procedure=procedure, frame=frame)

    def read(self, bay: str, device: str, place: str) -> Proposed:
        """What a device shows at a place."""
        said = self.ask(ask="read", bay=bay, device=device, place=place)
        return Proposed(float(said["value"]), str(said["device"]), str(said["serial"]), said.get("battery"))
