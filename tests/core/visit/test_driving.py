"""The drive of a visit: set out, recorded and told, joined until the need is met; what completes it."""

from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient

from escuadra.commands import Garage
from escuadra.commands.driving import (
    BeginDrive,
    EndDrive,
    KeepTrace,
    LearnRoad,
    TakeBackDriven,
    TellStretch,
    drives_in,
    past_of,
    roads_for,
    traces_of,
)
from escuadra.commands.signing import Reopen
from escuadra.commands.whole import TellWork
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.road.profile import RoadProfile
from escuadra.core.road.trace_files import as_gpx, as_table
from escuadra.core.visit.closing import drives_open, handovers
from escuadra.core.visit.driving import SensorDrive, drive_attempts
from escuadra.core.visit.log.whole import WorkTold
from escuadra.devices.virtual_road import Receiver, driven, received
from escuadra.rehearsal.technician import Technician
from escuadra.web.app import create_app
from tests.conftest import minibus
from tests.core.visit.test_closing import WHY, codes, do, driving, handed, release, sign  # noqa: F401
from tests.english import refused
from tests.store.test_log import wrongs

AT = 1.77e9


def trace(who: Technician, passes: int = 1, seed: int = 1, at: float = AT) -> bytes:
    road = who.garage.catalogue.get("road", "valley-road").content
    assert isinstance(road, RoadProfile)
    rng = np.random.default_rng(seed)
    return as_table(received(driven(road, passes, rng, at), Receiver(hz=2), rng))


def begin(who: Technician, **told: Any) -> int:
    asked = {"driver": "teo", "reader": "ines", "road": "valley-road", "licensed": True, "belt": True, "ignition": True}
    do(who, BeginDrive(who.job, **{**asked, **told}))
    return drive_attempts(who.garage.whole(who.job).state)[-1].seq


def trace_of(who: Technician) -> str:
    return drive_attempts(who.garage.whole(who.job).state)[-1].traces[-1].trace


def now(who: Technician) -> SensorDrive:
    (one,) = drives_in(who.garage, who.garage.whole(who.job))
    return one


def still_open(who: Technician) -> list[str]:
    whole = who.garage.whole(who.job)
    return drives_open(whole.visit, who.garage.model_of(whole))


def test_two_drives_join_until_the_need_is_met_and_the_road_learns(driving: Technician) -> None:  # noqa: F811
    who = driving
    for name, match in (("licensed", "licence"), ("belt", "belted"), ("ignition", "key turned off")):
        with refused(BadInput, match=match):
            begin(who, **{name: False})
    with refused(BadInput, match="not the driver"):
        begin(who, reader="teo")
    assert roads_for(who.garage, now(who))[0].known == 0
    first = begin(who)
    with refused(Conflict, match="goes on already"):
        begin(who)
    do(who, KeepTrace(who.job, first, "phone", "phone.csv", trace(who)))
    with refused(BadInput, match="another trace"):
        do(who, KeepTrace(who.job, first, "file", "again.csv", trace(who)))
    with refused(BadInput, match="within a day"):
        do(who, KeepTrace(who.job, first, "file", "other.csv", trace(who, seed=2, at=AT - 90_000)))
    once = now(who)
    assert 4 < once.counted_km < 8.5, "one pass is not enough"
    with refused(BadInput, match="key turned off and on|the key"):
        do(who, EndDrive(who.job, first, False, "", ""))
    do(who, EndDrive(who.job, first, True, "", ""))
    assert still_open(who) == ["1"]
    with refused(BadInput, match="goes on"):
        do(who, KeepTrace(who.job, first, "file", "late.csv", trace(who, seed=2)))
    proposed = {one.road.id: one for one in roads_for(who.garage, now(who))}
    assert (proposed["valley-road"].known, proposed["valley-road"].passes) == (1, 1)
    assert proposed["valley-road"].share == pytest.approx(once.counted_km / 8.6, rel=0.05)
    assert (next(iter(proposed)), proposed["ring"].known) == ("ring", 0), "little is left: the near road fills it"
    second = begin(who)
    do(who, KeepTrace(who.job, second, "file", "back.gpx", trace(who, seed=3, at=AT + 4000)))
    assert now(who).met
    assert now(who).counted_km > once.counted_km + 4
    assert still_open(who) == ["1"], "the drive is not over yet"
    do(who, EndDrive(who.job, second, True, "", "lane keeping held the lane on the valley road"))
    assert still_open(who) == []
    garage = who.garage
    kept = garage.files.folder / trace_of(who)[:2] / trace_of(who)
    content = kept.read_bytes()
    kept.write_bytes(content + b"1,1,1,1,1\n")
    assert len(wrongs(garage)) == 2, "the visit and the road both rest on it"
    kept.write_bytes(content)
    assert wrongs(garage) == []
    said = release(who)
    assert said.state == "finished"
    assert [(one.sensor, one.met) for one in said.drives[-1].reached] == [("front_camera", True)]
    assert said.drives[-1].functions.startswith("lane keeping")


def test_a_drive_that_was_handed_over_and_done_here_after_all_is_open_no_more(driving: Technician) -> None:  # noqa: F811
    who = driving
    do(who, handed(who))
    assert release(who).state == "drive_open"
    who.at += 3 * 86_400_000
    seq = begin(who)
    do(who, TellStretch(who.job, seq, "counted", "5", "7", ""))
    do(who, EndDrive(who.job, seq, True, "", ""))
    (one,) = handovers(who.garage.whole(who.job).state)
    assert one.open, "it is not enough yet"
    seq = begin(who)
    do(who, KeepTrace(who.job, seq, "file", "ride.csv", trace(who)))
    do(who, EndDrive(who.job, seq, True, "", ""))
    (one,) = handovers(who.garage.whole(who.job).state)
    assert one.closed is not None
    assert (one.closed.how, one.proved, still_open(who)) == ("driven", True, [])
    assert one.closed.words.removesuffix(" km").replace(".", "", 1).isdigit(), "no name that only the log knows"
    said = release(who)
    assert (said.revision, said.state, said.handovers[0].ended, len(said.drives)) == (2, "finished", "driven", 2)


def test_what_is_told_is_marked_and_takes_from_what_was_measured(driving: Technician) -> None:  # noqa: F811
    who = driving
    seq = begin(who, reader="")
    do(who, KeepTrace(who.job, seq, "file", "ride.csv", trace(who)))
    measured = now(who).counted_s
    do(who, TellStretch(who.job, seq, "rain", "", "2", "1"))
    rained = now(who).attempts[0]
    assert rained.lost_s["rain"] == pytest.approx(120, abs=25)
    assert rained.counted_s + rained.lost_s["rain"] == pytest.approx(measured, abs=0.5)
    taken = {"escuadra_person": "teo"}
    page = TestClient(create_app(who.garage), base_url="http://127.0.0.1", cookies=taken)
    rows = page.get(f"/visits/{who.job}/drive/{seq}.csv").text.splitlines()[1:]
    raining = [row.split(",") for row in rows if row.endswith(",rain")]
    assert len(raining) / 2 == pytest.approx(rained.lost_s["rain"], abs=2), "what goes out says it too"
    assert {row.rsplit(",", 1)[1] for row in rows} >= {"counted", "rain", "slow"}
    do(who, TellStretch(who.job, seq, "traffic", "", "1,5", ""))
    assert now(who).attempts[0].lost_s["traffic"] == 90
    assert now(who).counted_s == pytest.approx(rained.counted_s - 90, abs=0.5)
    do(who, TellStretch(who.job, seq, "counted", "3", "4", ""))
    told = now(who).attempts[0]
    assert (told.told_km, told.told_s) == (3, 240)
    for what, km, minutes, match in (
        ("fog", "", "1", "counted"),
        ("counted", "", "", "kilometres"),
        ("rain", "2", "", "lost"),
    ):
        with refused(BadInput, match=match):
            do(who, TellStretch(who.job, seq, what, km, minutes, ""))
    kept = drive_attempts(who.garage.whole(who.job).state)[0].told[-1]
    do(who, TakeBackDriven(who.job, str(kept.seq)))
    assert now(who).attempts[0].told_km == 0
    with refused(BadInput, match="goes on"):
        do(who, TakeBackDriven(who.job, str(seq)))


def test_a_drive_without_a_trace_is_told_by_hand(driving: Technician) -> None:  # noqa: F811
    seq = begin(driving, road="")
    do(driving, TellStretch(driving.job, seq, "counted", "8.5", "11", ""))
    do(driving, EndDrive(driving.job, seq, True, "", ""))
    assert (now(driving).met, still_open(driving)) == (True, [])


def test_radars_that_learn_by_driving_alone_go_by_their_own_bar(garage: Garage) -> None:
    who = minibus(garage)
    do(who, TellWork(who.job, WorkTold.read({"done": [{"act": "removed", "part": "rear_bumper"}]})), "teo")
    assert [one.sensor.id for one in drives_in(garage, garage.whole(who.job))] == [
        "corner_radar_left",
        "corner_radar_right",
    ]
    seq = begin(who)
    with refused(BadInput, match="own bar"):
        do(who, EndDrive(who.job, seq, True, "", ""))
    with refused(BadInput, match="0 to 100"):
        do(who, EndDrive(who.job, seq, True, "130", ""))
    for shown, met in (("60", False), ("100", True)):
        do(who, EndDrive(who.job, seq if shown == "60" else begin(who), True, shown, ""))
        assert {one.met for one in drives_in(garage, garage.whole(who.job))} == {met}


def test_a_trace_from_before_teaches_a_road_once_and_only_where_it_went(driving: Technician) -> None:  # noqa: F811
    garage, old = driving.garage, trace(driving, passes=2, seed=9, at=AT - 1e6)
    garage.do(LearnRoad("valley-road", "old.csv", old), "teo", "1")
    garage.do(LearnRoad("valley-road", "old.csv", old), "teo", "1")
    assert len(traces_of(garage, "valley-road")) == 1, "the same press is one"
    for road, content, match in (
        ("valley-road", old, "another trace"),
        ("ring", old, "from one end of this road"),
        ("valley-road", b"time;speed\n1;2\n", "4 samples"),
        ("nowhere", old, "ring"),
    ):
        with refused(BadInput, match=match):
            garage.do(LearnRoad(road, "old.csv", content), "teo", "2")
    spec = now(driving).spec
    road = garage.catalogue.get("road", "valley-road").content
    assert [0.4 < one.brought.counted_km / road.length_km < 0.95 for one in past_of(garage, road, spec)] == [True] * 2
    slow = spec.model_copy(update={"speed_min": 1.0, "speed_max": 30.0, "radius_min": None})
    assert all(one.brought.counted_km < 2 for one in past_of(garage, road, slow)), "as it is asked now, not as it was"


def test_nothing_of_a_bad_file_is_kept(driving: Technician) -> None:  # noqa: F811
    seq = begin(driving)
    before = driving.garage.whole(driving.job).row.head
    for content in (b"<gpx></gpx>", b"time;speed\n1;2\n", b"\x00", as_gpx(_two(), [("x", 0, 1)])):
        with pytest.raises(BadInput):
            do(driving, KeepTrace(driving.job, seq, "file", "x.gpx", content))
    assert driving.garage.whole(driving.job).row.head == before


def _two() -> Any:
    from escuadra.core.road.trace import Trace

    return Trace(*(np.array([k, k + 1.0]) for k in (AT, 41.0, -2.0, 70.0, 0.0)))


def test_static_comes_first_and_a_cause_is_looked_for_after_so_many(driving: Technician) -> None:  # noqa: F811
    who = driving
    who.garage.do(Reopen(who.job, WHY), "teo", who.id())
    with refused(Conflict, match="The static part comes first"):
        begin(who)
    sign(who)
    for _ in range(5):
        do(who, EndDrive(who.job, begin(who, road=""), True, "", ""))
    with refused(Conflict, match="5 drives did not complete it"):
        begin(who)
    codes(who, "after", source="not_read", why="still no link in this bay")
    assert still_open(who) == ["1"]
