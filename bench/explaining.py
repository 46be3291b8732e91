"""Results with known causes: is the right one named, and is a set-up left alone that did nothing wrong?"""

import random
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from escuadra.core.measure.explain import Cause, ExplainInput, Shown, explain
from escuadra.core.procedure.sheet import AimWay
from escuadra.core.run.adjusting import SHOWN_U_DEG
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.why import Possible, Why, why
from escuadra.demo.valdehierro import open_demo

RUNS = 500
NOW = 1_782_000_000_000
FIRST = 2


def sheets() -> list[Sheet]:
    """The demo's calibrations whose result is in."""
    with tempfile.TemporaryDirectory() as folder:
        garage = open_demo(Path(folder) / "d", lambda: NOW)
        with garage.store.reading() as log:
            rows = log.rows()
        opened = [garage.open(row.id, id) for row in rows for id in garage.whole(row.id).visit.calibrations]
        found = [one.sheet for one in opened if why(one.sheet) is not None]
        garage.close()
    return found


def _result(known: Why, errors: Mapping[str, float], fault: Mapping[AimWay, float], chance: random.Random) -> Why:
    """What the routine would show, where causes are off by so much and the vehicle by so much."""
    ways = [one.way for one in known.shown]
    shown = []
    for way in ways:
        value = sum(one.effect.get(way, 0.0) * errors[one.id] for one in known.possible) + fault.get(way, 0.0)
        shown.append(Shown(id=way, value=value + chance.gauss(0, SHOWN_U_DEG), u=SHOWN_U_DEG))
    causes = [_cause(one, ways) for one in known.possible]
    return Why(known.shown, known.possible, explain(ExplainInput(results=shown, causes=causes)))


def _cause(one: Possible, ways: Sequence[str]) -> Cause:
    return Cause(id=one.id, u=one.u, effect={way: e for way, e in one.effect.items() if way in ways})


def explained(known: list[Why], chance: random.Random, runs: int) -> float:
    """Share of planted errors, of three to twenty times their U, whose cause is among the first two."""
    right = 0
    for _ in range(runs):
        one = chance.choice(known)
        errors = {cause.id: chance.gauss(0, cause.u) for cause in one.possible}
        planted = chance.choice([c for c in one.possible if set(c.effect) & {o.way for o in one.shown}])
        errors[planted.id] = chance.choice((-1, 1)) * chance.uniform(3, 20) * 2 * planted.u
        found = _result(one, errors, {}, chance)
        right += planted.id in [cause.id for cause in found.ranked[:FIRST]]
    return right / runs


def blamed(known: list[Why], chance: random.Random, runs: int) -> float:
    """Share of results of a vehicle's fault alone, 0.2 to 1.5° about one axis, for which the set-up is blamed."""
    wrongly = 0
    for _ in range(runs):
        one = chance.choice(known)
        errors = {cause.id: chance.gauss(0, cause.u) for cause in one.possible}
        way = chance.choice([shown.way for shown in one.shown])
        found = _result(one, errors, {way: chance.choice((-1, 1)) * chance.uniform(0.2, 1.5)}, chance)
        wrongly += found.blamed is not None and not found.far_fetched
    return wrongly / runs


def figures(runs: int = RUNS) -> tuple[float, float]:
    """``explained`` and how often the set-up is blamed for a vehicle's fault."""
    known = [found for sheet in sheets() if (found := why(sheet)) is not None]
    return explained(known, random.Random(11), runs), blamed(known, random.Random(12), runs)


if __name__ == "__main__":
    print("explained {:.3f}  set_up_blamed {:.3f}".format(*figures()))
