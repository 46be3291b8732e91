"""The procedure run at its stations: recorded only where everything that carries the target holds."""

from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.job.events import ReadingTaken, Relied, SaidThen, StationRun
from escuadra.core.job.sheet import CheckView
from escuadra.core.wording import listed
from escuadra.jobs.command import Context, Saying, VisitCommand, of_owner
from escuadra.jobs.forms import Opened

CARRIES = ("target", "frame")


@dataclass(frozen=True)
class RunStation(VisitCommand):
    """The procedure was run at a station."""

    station: str

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The run, of the calibration; raises ``Conflict`` where its set-up does not hold or another is at hand."""
        sheet = opened.sheet
        here = sheet.plan.station
        if not sheet.stations or here is None:
            raise BadInput("station", self.station or "nothing", "a sheet that is run at several stations")
        if here.id != self.station:
            raise Conflict(f"The station at hand is {here.name}: look at the sheet again.")
        if all(view.done for view in sheet.stations):
            raise Conflict("Every station was run already: to run one again, say so first.")
        holding_up = [view.check.title for view in sheet.unsettled if view.check.kind != "stations"]
        if holding_up:
            raise Conflict(f"Not settled yet: {listed(holding_up)}.")
        kept = [view for view in sheet.checks if view.check.group in CARRIES]
        read = [e.said.tool for v in kept for s in v.slots for e in s.now if isinstance(e.said, ReadingTaken)]
        used = sorted({(relied.id, relied.seq) for tool in read for relied in tool.relied})
        tools = [Relied(id=id, seq=seq) for id, seq in used]
        said = [_then(view) for view in kept]
        run = StationRun(station=self.station, name=here.name, said=said, tools=tools)
        return [Saying(run, of_owner(opened, "calibration"))]


def _then(view: CheckView) -> SaidThen:
    figures = "; ".join(f"{f.label} {f.text} {f.plus_minus}" for f in view.judgement.figures)
    said = figures or view.judgement.summary
    return SaidThen(check=view.check.id, title=view.check.title, state=view.state, said=said)
