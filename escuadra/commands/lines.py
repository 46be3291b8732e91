"""How the line of a job is to be found: the shelf as the budget sees it, and the plan that is chosen."""

from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.commands.command import Context, Saying, VisitCommand, of_owner
from escuadra.commands.forms import Opened
from escuadra.commands.house import House
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Noun, nouns, said
from escuadra.core.instruments.instrument import READS
from escuadra.core.visit.line_plan import MOST_TIMES, Shelf
from escuadra.core.visit.log.events import LinePlanned, ToolUsed
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Slot


def shelf(house: House, plan: Plan) -> Shelf:
    """The instruments that can be relied on today, with what their self-checks found."""
    known: dict[str, list[ToolUsed]] = {}

    def tools(slot: Slot) -> list[ToolUsed]:
        if slot.id not in known:
            known[slot.id] = _tools(house, plan, slot)
        return known[slot.id]

    return tools


def _tools(house: House, plan: Plan, slot: Slot) -> list[ToolUsed]:
    found = []
    if slot.quantity is None:
        return []
    frame = plan.frame.id if slot.reads == "scale" else ""
    for tool in house.tools(slot):
        if house.instruments.trusted(tool.id).usable:
            figures = house.instruments.contributions(tool.id, slot.quantity.dimension, slot.lever, frame)
            found.append(ToolUsed(id=tool.id, name=tool.name, contributions=figures))
    return found


def asked_plan(fields: dict[str, str]) -> LinePlanned:
    """A plan as it was put together on a form; raises ``BadInput`` for what is no plan."""
    methods = [method for method in METHODS if fields.get(f"method.{method}") == "yes"]
    if not methods:
        raise BadInput("methods", "", said("wants.least_one_method"))
    times = fields.get("times", "1").strip()
    if times not in [str(k) for k in range(1, MOST_TIMES + 1)]:
        raise BadInput("times", times, said("wants.1_readings_each_place", most_times=MOST_TIMES))
    tools = {kind: tool for kind in READS if (tool := fields.get(f"tool.{kind}", ""))}
    return LinePlanned(
        methods=methods,
        times=int(times),
        tools=tools,
        rear_tapes=fields.get("rear_tapes") == "yes",
        rectangle=fields.get("rectangle") == "yes",
    )


@dataclass(frozen=True)
class PlanLines(VisitCommand):
    """How the vehicle's lines are to be found; the sheet then lists what is to be read."""

    asked: LinePlanned

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The plan, of the vehicle."""
        asked = self.asked
        unknown = next((m for m in asked.methods if m not in METHODS), None)
        if unknown is not None:
            raise BadInput("methods", unknown, said("wants.one", names=nouns(METHODS, "comma")))
        if "none" in asked.methods and opened.sheet.plan.procedure.line != "none":
            raise BadInput("methods", METHODS["none"].title, said("wants.method_finds_line_sheet_needs"))
        shelf = context.house.instruments.shelf()
        for kind, tool in asked.tools.items():
            if not any(h.tool.id == tool and kind in h.tool.reads for h in shelf):
                raise BadInput("tools", tool, said("wants.instrument_shelf_reads_2", reads=Noun(f"reads.{kind}")))
        return [Saying(asked, of_owner(opened, "vehicle"))]
