"""A large trace that is sent: how far it is read is told while it is read, and forgotten afterwards."""

import pytest

from escuadra.rehearsal.technician import Technician
from escuadra.web.screens.drive import routes
from tests.core.visit.test_closing import driving
from tests.core.visit.test_driving import begin
from tests.web.conftest import Visitor

__all__ = ["driving"]
ROWS = 40_000


class Noted(dict[str, float]):
    """How far each file was read, and every share that was told of it."""

    def __init__(self) -> None:
        self.told: list[float] = []

    def __setitem__(self, entry: str, share: float) -> None:
        self.told.append(share)
        super().__setitem__(entry, share)


def test_how_far_a_large_trace_is_read_is_told(driving: Technician, monkeypatch: pytest.MonkeyPatch) -> None:
    attempt, noted = begin(driving), Noted()
    monkeypatch.setattr(routes, "_READING", noted)
    visitor = Visitor(driving.garage, "ines")
    rows = [f"{1_770_000_000 + k / 10:.1f},{41.2 + k * 1.8e-5:.6f},-2.6,72,0" for k in range(ROWS)]
    content = "\n".join(["time,latitude,longitude,speed_kmh,heading", *rows]).encode()
    token = visitor.client.cookies.get("escuadra_token") or ""
    path, fields = f"/visits/{driving.job}/drive", {"token": token, "entry": "large"}
    answer = visitor.client.post(f"{path}/{attempt}/traces", data=fields, files={"file": ("long.csv", content)})
    assert answer.status_code == 303, answer.text[:300]
    assert len(noted.told) > 2
    assert noted.told == sorted(noted.told)
    assert 0 < noted.told[0] < noted.told[-1] <= 1
    assert visitor.client.get(f"{path}/progress?entry=large").json() == {"share": None}
    noted["other"] = 0.4
    assert visitor.client.get(f"{path}/progress?entry=other").json() == {"share": 0.4}
