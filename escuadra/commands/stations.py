"""The procedure run at its stations: recorded only where everything that carries the target holds."""

from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.commands.command import Context, Saying, VisitCommand, of_owner
from escuadra.commands.forms import Opened
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import as_said, nouns, said
from escuadra.core.visit.log.events import ReadingTaken, Relied, SaidThen, StationRun
from escuadra.core.visit.views import CheckView

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
            raise BadInput("station", self.station, said("wants.sheet_run_several_stations"))
        if here.id != self.station:
            raise Conflict(said("jobs.stations.station_hand_look_sheet_again", name=here.name))
        if all(view.done for view in sheet.stations):
            raise Conflict(said("jobs.stations.every_station_run_already_run"))
        holding_up = [view.check.called for view in sheet.unsettled if view.check.kind != "stations"]
        if holding_up:
            raise Conflict(said("jobs.stations.not_settled_yet", names=nouns(holding_up)))
        kept = [view for view in sheet.checks if view.check.group in CARRIES]
        read = [e.said.tool for v in kept for s in v.slots for e in s.now if isinstance(e.said, ReadingTaken)]
        used = sorted({(relied.id, relied.seq) for tool in read for relied in tool.relied})
        tools = [Relied(id=id, seq=seq) for id, seq in used]
        told = [_then(view) for view in kept]
        run = StationRun(station=self.station, name=here.name, said=told, tools=tools)
        return [Saying(run, of_owner(opened, "calibration"))]


def _then(view: CheckView) -> SaidThen:
    figures = nouns(
        (said("figure", label=f.label, value=f.text, spread=f.plus_minus) for f in view.judgement.figures), "comma"
    )
    shown = figures or view.judgement.summary
    title, told = as_said(view.check.called), as_said(shown) if shown else None
    return SaidThen(check=view.check.id, title=title, state=view.state, said=told)
