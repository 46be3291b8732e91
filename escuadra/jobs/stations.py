"""The procedure run at its stations: recorded only where everything that carries the target holds."""

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.job.events import ReadingTaken, Relied, SaidThen, StationRun
from escuadra.core.job.sheet import Sheet
from escuadra.core.job.state import State
from escuadra.core.wording import listed
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage

CARRIES = ("target", "frame")


def run_station(garage: Garage, job: str, station: str, person: str, key: str) -> Opened:
    """The procedure was run at a station; raises ``Conflict`` where its set-up does not hold or another is at hand."""

    def make(_state: State, sheet: Sheet) -> StationRun:
        if not sheet.stations or sheet.plan.station is None:
            raise BadInput("station", station or "nothing", "a sheet that is run at several stations")
        here = sheet.plan.station
        if here.id != station:
            raise Conflict(f"The station at hand is {here.name}: look at the sheet again.")
        if all(view.done for view in sheet.stations):
            raise Conflict("Every station was run already: to run one again, say so first.")
        holding_up = [view.check.title for view in sheet.unsettled if view.check.kind != "stations"]
        if holding_up:
            raise Conflict(f"Not settled yet: {listed(holding_up)}.")
        kept = [view for view in sheet.checks if view.check.group in CARRIES]
        said = [
            SaidThen(
                check=view.check.id,
                title=view.check.title,
                state=view.state,
                said="; ".join(f"{f.label} {f.text} {f.plus_minus}" for f in view.judgement.figures)
                or view.judgement.summary,
            )
            for view in kept
        ]
        read = [e.said.tool for v in kept for s in v.slots for e in s.now if isinstance(e.said, ReadingTaken)]
        used = sorted({(relied.id, relied.seq) for tool in read for relied in tool.relied})
        tools = [Relied(id=id, seq=seq) for id, seq in used]
        return StationRun(station=station, name=here.name, said=said, tools=tools)

    return garage.append(job, person, key, make)
