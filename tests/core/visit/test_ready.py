"""Readying the vehicle the short way: one press for all that is as specified and every figure, or nothing of it."""

import pytest

from escuadra.commands.forms import press
from escuadra.commands.readiness import MakeReady, Refused, asked
from escuadra.core.base.errors import BadInput
from escuadra.rehearsal.technician import Technician
from tests.english import refused

FIGURES = {
    "printed.day": "2025-11-20",
    **{f"toe.{where}": "0.06" for where in ("left", "right", "LF", "RF")},
    "printed.thrust": "-0.00",
    **{f"tyre.size.{c}": "235/65 R16 C" for c in ("LF", "RF", "LR", "RR")},
    **{f"tyre.pressure.{c}": "373" if c[1] == "F" else "418" for c in ("LF", "RF", "LR", "RR")},
    "steering.wheel": "-0.3",
    "battery.volts": "13.4",
}
WORDS = {"toe": "plus", "thrust": "plus", "steering": "plus"}


def specified(who: Technician) -> list[str]:
    views = asked(who.opened.sheet)
    return [view.slot.id for view in views if view.slot.specified and not view.slot.optional]


def ready(who: Technician, **changed: object) -> None:
    given = {
        "as_specified": specified(who),
        "typed": FIGURES,
        "words": WORDS,
        "tools": {"bracket": "level-5"},
        **changed,
    }
    who.garage.do(MakeReady(who.job, **given), "teo", press())  # type: ignore[arg-type]


def test_one_press_readies_a_vehicle_without_findings(teo: Technician) -> None:
    ready(teo)
    left = {view.check.id for view in teo.opened.sheet.checks if view.check.group == "ready" and not view.settled}
    assert left == {"floor"}, "tread, washer level and camber are judged only where they were looked at"
    wheel = teo.opened.state.live("steering.wheel")[0].value
    assert wheel == -0.3, "a minus is the other way than a plain figure"
    net = teo.check("load").judgement.figures[0]
    assert net.value == pytest.approx(3.25), "a fluid that nobody looked at is half missing,"
    assert net.u == pytest.approx(3.25 / 3**0.5, abs=1.0), "and half to either side"
    with refused(BadInput, match="at least one thing as specified"):
        ready(teo, as_specified=[], typed={})


@pytest.mark.parametrize(
    "changed, at, said",
    [
        ({"typed": FIGURES | {"battery.volts": "nearly 13"}}, "battery.volts", "V"),
        ({"typed": FIGURES | {"tyre.pressure.LR": "41.8"}}, "tyre.pressure.LR", "41.8 psi or 41.8 kPa"),
        ({"words": WORDS | {"toe": ""}}, "toe.left", "a figure without a minus"),
        ({"typed": FIGURES | {"printed.day": "20-11"}}, "printed.day", "year-month-day"),
        ({"as_specified": ["steering.wheel"], "typed": {}}, "steering.wheel", "it has no usual answer"),
    ],
)
def test_what_is_refused_is_named_and_nothing_is_recorded(
    teo: Technician, changed: dict[str, object], at: str, said: str
) -> None:
    before = teo.opened.row.count
    with refused(Refused, match=said) as found:
        ready(teo, **changed)
    assert found.value.slot == at
    assert teo.opened.row.count == before


def test_an_exception_stays_open_and_warm_tyres_ask_their_temperature(teo: Technician) -> None:
    warm = FIGURES | {"tyre.state": "warm", **{f"tyre.temperature.{c}": "31" for c in ("LF", "RF", "LR", "RR")}}
    kept = [id for id in specified(teo) if id not in ("tick.doors", "tyre.state")]
    ready(teo, as_specified=kept, typed=warm)
    assert teo.check("doors").state == "open"
    assert teo.check("tyres").judgement.complete
    assert teo.check("tyres").state != "open"
