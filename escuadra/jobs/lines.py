"""How the line of a job is to be found: the shelf as the budget sees it, and the plan that is chosen."""

from escuadra.core.errors import BadInput
from escuadra.core.job.events import LinePlanned, ToolUsed
from escuadra.core.job.line_plan import MOST_TIMES, Shelf
from escuadra.core.job.methods import METHODS
from escuadra.core.job.places import Plan
from escuadra.core.job.slots import Slot
from escuadra.core.tool import READS
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage


def shelf(garage: Garage, plan: Plan) -> Shelf:
    """The instruments that can be relied on today, with what their self-checks found."""
    known: dict[str, list[ToolUsed]] = {}

    def tools(slot: Slot) -> list[ToolUsed]:
        if slot.id not in known:
            known[slot.id] = _tools(garage, plan, slot)
        return known[slot.id]

    return tools


def _tools(garage: Garage, plan: Plan, slot: Slot) -> list[ToolUsed]:
    found = []
    if slot.quantity is None:
        return []
    frame = plan.frame.id if slot.reads == "scale" else ""
    for tool in garage.tools(slot):
        if garage.instruments.trusted(tool.id).usable:
            figures = garage.instruments.contributions(tool.id, slot.quantity.dimension, slot.lever, frame)
            found.append(ToolUsed(id=tool.id, name=tool.name, contributions=figures))
    return found


def asked_plan(fields: dict[str, str]) -> LinePlanned:
    """A plan as it was put together on a form; raises ``BadInput`` for what is no plan."""
    methods = [method for method in METHODS if fields.get(f"method.{method}") == "yes"]
    if not methods:
        raise BadInput("methods", "none", "at least one method")
    times = fields.get("times", "1").strip()
    if times not in [str(k) for k in range(1, MOST_TIMES + 1)]:
        raise BadInput("times", times or "nothing", f"1 to {MOST_TIMES} readings of each place")
    tools = {kind: tool for kind in READS if (tool := fields.get(f"tool.{kind}", ""))}
    return LinePlanned(
        methods=methods,
        times=int(times),
        tools=tools,
        rear_tapes=fields.get("rear_tapes") == "yes",
        rectangle=fields.get("rectangle") == "yes",
    )


def plan_lines(garage: Garage, job: str, asked: LinePlanned, person: str, key: str) -> Opened:
    """Plan how the line is to be found; the sheet then lists what is to be read."""
    plan = garage.open(job).sheet.plan
    unknown = next((m for m in asked.methods if m not in METHODS), None)
    if unknown is not None:
        raise BadInput("methods", unknown, f"methods: {', '.join(METHODS)}")
    if "none" in asked.methods and plan.procedure.line != "none":
        raise BadInput("methods", METHODS["none"].title, "a method that finds a line: this sheet needs one")
    for kind, tool in asked.tools.items():
        if not any(h.tool.id == tool and kind in h.tool.reads for h in garage.instruments.shelf()):
            raise BadInput("tools", tool, f"an instrument on the shelf that reads {READS.get(kind, kind)}")
    return garage.append(job, person, key, lambda _state, _sheet: asked)
