"""The bays of Valdehierro and the surveys of their floors. Made-up figures: practice only.

Each floor is a formula; the staff readings follow from it with a repeatable scatter, rounded as a person reads them.
"""

import math
from collections.abc import Callable
from datetime import date, timedelta

from escuadra.commands import Garage
from escuadra.commands.bays import KeepBay
from escuadra.commands.forms import press
from escuadra.commands.surveys import CloseSurvey, ReadPoint, of_csv, on_grid
from escuadra.core.bay.bay import Bay
from escuadra.core.bay.survey import SurveyPoint, grid

LEVEL = "Rotating laser 9 with staff"
U_MM = 0.4
Floor = Callable[[float, float], float]


def _thing(id: str, kind: str, name: str, x: float, y: float, along: float, across: float) -> dict[str, object]:
    return {"id": id, "kind": kind, "name": name, "x": x, "y": y, "length": along, "width": across}


BAYS = (
    {
        "name": "Norte",
        "length": 12000,
        "width": 5000,
        "door": {"x1": 12000, "y1": 700, "x2": 12000, "y2": 4300},
        "things": [
            _thing("bench", "metal", "steel bench", 450, 4650, 900, 600),
            {
                "id": "window",
                "kind": "window",
                "name": "north window",
                "x": 6100,
                "y": 4950,
                "length": 2400,
                "width": 90,
            },
            {
                "id": "lamp",
                "kind": "lamp",
                "name": "lamp above the door",
                "x": 11500,
                "y": 2500,
                "length": 300,
                "width": 300,
            },
        ],
        "fixed_points": [
            {"id": "N1", "x": 60, "y": 60, "u": 0.8},
            {"id": "N2", "x": 60, "y": 4940, "u": 0.8},
            {"id": "N3", "x": 11930, "y": 480, "u": 0.8},
        ],
    },
    {
        "name": "Patio",
        "length": 7600,
        "width": 4700,
        "door": {"x1": 7600, "y1": 600, "x2": 7600, "y2": 4100},
        "things": [
            _thing("drain", "drain", "drain", 6650, 640, 420, 420),
            _thing("pillar", "pillar", "pillar", 3100, 4560, 280, 280),
            {
                "id": "mirror",
                "kind": "reflective",
                "name": "glazed notice board",
                "x": 60,
                "y": 2350,
                "length": 60,
                "width": 1200,
            },
        ],
        "fixed_points": [
            {"id": "P1", "x": 60, "y": 60, "u": 1},
            {"id": "P2", "x": 60, "y": 4640, "u": 1},
            {"id": "P3", "x": 7540, "y": 4640, "u": 1},
        ],
    },
    {
        "name": "Muelle",
        "length": 11500,
        "width": 5200,
        "door": {"x1": 0, "y1": 800, "x2": 0, "y2": 4400},
        "things": [
            {
                "id": "post",
                "kind": "obstacle",
                "name": "aligner's post",
                "x": 7900,
                "y": 4820,
                "length": 500,
                "width": 500,
            },
            {
                "id": "cabinet",
                "kind": "metal",
                "name": "tool cabinet",
                "x": 10950,
                "y": 380,
                "length": 900,
                "width": 500,
            },
        ],
        "fixed_points": [
            {"id": "M1", "x": 11440, "y": 60, "u": 1},
            {"id": "M2", "x": 11440, "y": 5140, "u": 1},
            {"id": "M3", "x": 7700, "y": 60, "u": 1},
        ],
        "rack": {"x_from": 2300, "x_to": 7600, "left_y": 3414, "right_y": 1786, "width": 560, "height": 412},
    },
)


def norte(x: float, y: float) -> float:
    """Epoxy: nearly level, rising a little towards the door."""
    return 0.0004 * x + 0.0006 * y + 9.0 / (1 + math.exp(-(x - 7600) / 700))


def patio(x: float, y: float, sunk: float = 0.0) -> float:
    """Older concrete that falls to its drain, whose corner has sunk."""
    from_drain = math.hypot(x - 6650, y - 640)
    return -0.0021 * x + 0.0016 * y - (17 + sunk) * math.exp(-((from_drain / 1500) ** 2)) + 1.4 * math.sin(x / 900)


def muelle(x: float, y: float) -> float:
    """The rented floor beyond the rack."""
    return 0.0009 * (x - 7600) - 0.0005 * y


def runways(x: float, y: float) -> float:
    """The rack's runways."""
    return 412.0 + 0.0005 * (x - 2300) + (0.5 if y > 2600 else -0.3)


def fill_floors(garage: Garage) -> None:
    """Sheets of the three bays, their surveys, and one in the making."""
    for bay in BAYS:
        garage.do(KeepBay(Bay.read(bay), None), "ines", press())
    today = date.fromisoformat(garage.today())
    beyond = [p for p in grid(11500, 5200, 900, 100) if p.x >= 7600]
    on_rack = [
        SurveyPoint(id=f"R{row}{column}", x=2400 + 850 * column, y=y, surface="runway")
        for row, y in enumerate((1586, 1986, 3214, 3614), 1)
        for column in range(7)
    ]
    _survey(garage, "Norte", today - timedelta(days=61), grid(12000, 5000, 800, 90), norte, "amara", 3)
    _survey(garage, "Patio", today - timedelta(days=403), grid(7600, 4700, 600, 90), patio, "ines", 11)
    _survey(garage, "Patio", today - timedelta(days=12), grid(7600, 4700, 600, 90), _sunk, "teo", 5)
    _survey(garage, "Muelle", today - timedelta(days=118), [*beyond, *on_rack], _on_muelle, "amara", 7)
    again = garage.do(
        on_grid(
            garage.floors.bay("Muelle")[0],
            900,
            100,
            taken_on=today,
            valid_until=today + timedelta(days=365),
            instrument=LEVEL,
            u=U_MM,
            reads="staff",
        ),
        "nuno",
        "demo-survey-open",
    )
    for k, point in enumerate(garage.floors.draft(again).walk[:23]):
        staff = 1384 - muelle(point.x, point.y) + _scatter(k, 2)
        garage.do(ReadPoint(again, point.id, f"{staff:.1f}"), "nuno", f"demo-survey-open-{k}")


def _sunk(x: float, y: float) -> float:
    return patio(x, y, 6.5)


def _on_muelle(x: float, y: float) -> float:
    return runways(x, y) if x < 7600 else muelle(x, y)


def _scatter(k: int, seed: int) -> float:
    """A repeatable scatter of about ``U_MM``."""
    return U_MM * 1.6 * math.sin(12.9898 * (k + 1) + 78.233 * seed) * math.cos(3.7 * k * seed)


def _survey(
    garage: Garage, bay: str, day: date, points: list[SurveyPoint], floor: Floor, person: str, seed: int
) -> None:
    """One closed survey from one set-up, entered as a file."""
    lines = ["point,x,y,staff,setup,surface"]
    for k, point in enumerate(points):
        staff = 1412 - floor(point.x, point.y) + _scatter(k, seed)
        lines.append(f"{point.id},{point.x:g},{point.y:g},{staff:.1f},1,{point.surface}")
    until = day + timedelta(days=365)
    more = {"taken_on": day, "valid_until": until, "instrument": LEVEL, "u": U_MM}
    id = garage.do(of_csv("\n".join(lines), bay=bay, **more), person, f"demo-survey-{bay}-{day}")
    garage.do(CloseSurvey(id), person, press())
