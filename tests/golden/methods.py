"""All that a method of finding the line asks, enters and tells when it is read without error in a planted scene."""

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from escuadra.catalogue import Catalogue, load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands.garage import Garage
from escuadra.core.visit.both_lines import answers, said_line
from escuadra.core.visit.line_plan import offer
from escuadra.core.visit.line_report import agreement, facts, side_by_side
from escuadra.core.visit.log.events import LinePlanned
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.scene import Scene
from escuadra.rehearsal.rehearse import BAY, MORNING, begun
from tests.core.visit.test_line_plan import tools
from tests.core.visit.test_methods import WANTED, planted, read
from tests.golden.sheets import BASE, of_solution, plain, shares

FILE = Path(__file__).parent / "methods.txt"


def plan_of(catalogue: Catalogue, folder: Path) -> Plan:
    """The first sheet's vehicle and frame."""
    garage = Garage(folder, lambda: MORNING, catalogue)
    who = begun(garage)
    who.take_in(number="R-1", reason="windscreen replaced", bay=BAY, procedure=BASE)
    plan = who.opened.sheet.plan
    garage.close()
    return plan


def of_method(plan: Plan, id: str) -> Iterator[str]:
    """A method: its slots, what a perfect eye reads, what goes into the solution and what comes out."""
    method, scene = METHODS[id], planted(plan)
    yield f"=== {id} {plain((method.tells, method.cannot, method.materials, method.steps, method.families))}"
    for slot in method.slots(plan):
        yield f". {plain(slot)}"
    yield f"exact {plain(method.exact(scene))}"
    yield f"sights {plain(method.sights(Scene.nominal(plan)))}"
    yield f"offer {plain(offer(plan, tools, LinePlanned(methods=[id])))}"
    epochs = read(scene, "marks", id) if id == "low" else read(scene, id)
    solution = epochs.newest
    if solution is None:
        return
    yield from of_solution(solution)
    for line in sorted(solution.known):
        for what in ("square", "offset", "distance", "line_angle"):
            found = solution.derived(what, line)
            parts = {plain(part.source): part.share for part in solution.budget(found)}
            yield f"{line} {what} {plain(found)} {shares(parts)}"
    for said in (*facts(epochs), *side_by_side(epochs), *answers(epochs), said_line(epochs), agreement(epochs)):
        yield f"line {plain(said)}"


def all_told(catalogue: Catalogue, folder: Path) -> list[str]:
    """Every method, one after the other."""
    plan = plan_of(catalogue, folder)
    return [line for method in WANTED for line in of_method(plan, method)]


if __name__ == "__main__":
    with TemporaryDirectory() as name:
        FILE.write_text("\n".join(all_told(load([PRACTICE]), Path(name))) + "\n", encoding="utf-8")
