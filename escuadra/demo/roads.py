"""Past passes of the three made-up roads around Valdehierro, a drive under way, and a trace to try from disk."""

from datetime import UTC, datetime, timedelta

import numpy as np

from escuadra.commands import Garage
from escuadra.commands.driving import BeginDrive, KeepTrace, LearnRoad
from escuadra.core.road.profile import RoadProfile
from escuadra.core.road.trace import Trace
from escuadra.core.road.trace_files import as_gpx, as_table
from escuadra.core.visit.driving import drive_attempts
from escuadra.devices.virtual_road import Receiver, driven, received
from escuadra.rehearsal.technician import Technician

HOURS = (7.6, 8.2, 10.4, 15.1, 17.8)
BUSY = {7: 0.8, 8: 0.9, 10: 0.2, 15: 0.3, 17: 0.7}
"""How much others hold one up at that hour."""


def drove(road: RoadProfile, at: float, passes: int, seed: int, busy: float) -> Trace:
    """What a receiver recorded of a drive."""
    rng = np.random.default_rng(seed)
    return received(driven(road, passes, rng, at, busy), Receiver(hz=1.0), rng)


def past_roads(garage: Garage, who: str, now_ms: int) -> None:
    """Five drives on each road in the weeks before, there and back."""
    for entry in garage.catalogue.all("road"):
        for k, hour in enumerate(HOURS):
            midnight = datetime.fromtimestamp(now_ms / 1000, UTC).replace(hour=0, minute=0, second=0, microsecond=0)
            at = midnight - timedelta(days=3 + 4 * k) + timedelta(hours=hour)
            trace = drove(entry.content, at.timestamp(), 2, 10 * k + len(entry.id), BUSY[int(hour)])
            name = f"{entry.id}-{at:%Y-%m-%d}.csv"
            garage.do(LearnRoad(entry.id, name, as_table(trace)), who, f"past-{entry.id}-{k}")


def under_way(who: Technician) -> None:
    """A specialist set out, somebody reads; one pass of the valley road is recorded."""
    who.person = "teo"
    garage, road = who.garage, who.garage.catalogue.get("road", "valley-road").content
    garage.do(BeginDrive(who.job, "teo", "amara", road.id, True, True, True), who.person, who.id())
    attempt = drive_attempts(garage.whole(who.job).state)[-1].seq
    trace = drove(road, who.at / 1000 + 600, 1, 7, 0.4)
    garage.do(KeepTrace(who.job, attempt, "phone", "phone.csv", as_table(trace)), who.person, who.id())
    # The way back, from another receiver: a file to try, which joins what the phone recorded.
    back = drove(road, float(trace.t[-1]) + 240, 1, 3, 0.5)
    folder = garage.data / "examples"
    folder.mkdir(exist_ok=True)
    (folder / "valley-road.gpx").write_bytes(as_gpx(back, [("valley road", 0, len(back) - 1)]))
