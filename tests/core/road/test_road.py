"""Traces of drives whose truth is known: what counts, clocks that step, files that are none, passes of roads."""

import math
from dataclasses import replace
from datetime import UTC, timedelta, timezone

import numpy as np
import pytest

from escuadra.catalogue.library import PRACTICE, load
from escuadra.core.base.errors import BadInput
from escuadra.core.road.drive import DriveLimits, DriveNeed, finer, judge
from escuadra.core.road.profile import PastPass, RoadProfile, less, pass_of, passes_of, proposals
from escuadra.core.road.roads import Pass
from escuadra.core.road.trace import EQUATORIAL_M, Trace, joined, metres_of, moving
from escuadra.core.road.trace_files import ColumnsWanted, as_gpx, as_table, of_table, read_trace
from escuadra.devices.virtual_road import Receiver, TrueDrive, driven, received
from tests.english import refused

LIMITS = DriveLimits(speed_min=43, speed_max=97, radius_min=260, window_s=4)
AT = 1.77e9
ROADS: dict[str, RoadProfile] = {one.id: one.content for one in load([PRACTICE]).all("road")}


def counted(trace: Trace) -> float:
    found = joined([trace]).trace
    return judge(*finer(found.t, *moving(found, 2.0), 2.0), LIMITS).counted_m


def truly(drive: TrueDrive, tunnels: tuple[tuple[float, float], ...] = ()) -> float:
    judged = judge(drive.t, drive.speed, drive.heading, LIMITS)
    since = (drive.t[:-1] + drive.t[1:]) / 2 - drive.t[0]
    seen = np.ones(len(since), bool)
    for begin, end in tunnels:
        seen &= (since < begin - 0.5) | (since > end + 0.5)
    return float(judged.metres[judged.counts & seen].sum())


@pytest.mark.parametrize(
    "receiver",
    [
        Receiver(),
        Receiver(hz=10.0),
        Receiver(hz=5.0, tells_speed=False),
        Receiver(tells_speed=False),
        Receiver(tunnels=((60.0, 84.0), (200.0, 219.0))),
        Receiver(jump=(100.0, -31.0)),
        Receiver(jump=(100.0, 3600.0)),
    ],
    ids=["1 Hz", "10 Hz", "positions", "positions at 1 Hz", "tunnels", "clock back", "clock ahead"],
)
def test_what_counts_of_a_drive_is_what_truly_did(receiver: Receiver) -> None:
    off = []
    for seed in range(8):
        rng = np.random.default_rng(seed)
        drive = driven(ROADS["valley-road"], 2, rng, AT, busy=0.3)
        truth = truly(drive, tuple(receiver.tunnels))
        off.append(counted(received(drive, receiver, rng)) / truth - 1)
    assert math.sqrt(np.mean(np.square(off))) < 0.01


def test_a_clock_that_steps_is_told_and_a_pause_at_the_roads_end_is_none() -> None:
    rng = np.random.default_rng(3)
    drive = driven(ROADS["valley-road"], 2, rng, AT)
    assert joined([received(drive, Receiver(hz=5), rng)]).jumps == ()
    assert joined([received(drive, Receiver(hz=5, tunnels=((100.0, 130.0),)), rng)]).jumps == (), "it drove on in there"
    (jump,) = joined([received(drive, Receiver(hz=5, jump=(100.0, 47.0)), rng)]).jumps
    assert jump.after_s == pytest.approx(100, abs=1)
    assert jump.by_s == pytest.approx(47, abs=0.5)


def test_two_files_of_one_drive_join_and_what_both_tell_counts_once() -> None:
    rng = np.random.default_rng(5)
    drive = driven(ROADS["valley-road"], 1, rng, AT)
    whole = received(drive, Receiver(hz=4, noise_m=0, wander_m=0), rng)
    middle = len(whole) // 2
    first, second = whole.where(np.arange(len(whole)) < middle + 80), whole.where(np.arange(len(whole)) >= middle)
    both = joined([second, first])
    assert (len(both.trace), both.twice) == (len(whole), 80)
    assert np.all(np.diff(both.trace.t) > 0)
    assert joined([whole]).trace.t[-1] == both.trace.t[-1]


def test_files_go_out_and_come_back_as_they_were() -> None:
    rng = np.random.default_rng(1)
    told = received(driven(ROADS["ring"], 1, rng, AT), Receiver(), rng)
    again = of_table(as_table(told))
    table = read_trace("ride.csv", as_table(replace(told)), UTC)
    gpx = read_trace("ride.gpx", as_gpx(told, [("counted", 0, 40), ("slow", 41, len(told) - 1)]))
    for one in (again, table, gpx):
        assert np.allclose(one.t, told.t, atol=2e-3)
        assert np.allclose(one.latitude, told.latitude, atol=1e-7)
    assert np.allclose(table.speed, told.speed, atol=0.01)
    assert np.isnan(gpx.speed).all()


ROWS = "\n".join(f"{k};41.2{k};-2.61;{70 + k}" for k in range(6))


@pytest.mark.parametrize(
    ("head", "unit"), [("time;lat;lon;speed", 1.0), ("t;latitud;longitud;speed_mph", 1.609344), ("utc;lat;lng;v", 1.0)]
)
def test_a_table_says_by_its_header_what_is_what(head: str, unit: float) -> None:
    found = read_trace("x.csv", f"{head}\n{ROWS}".encode())
    assert found.speed[2] == pytest.approx(72 * unit)
    assert found.latitude[3] == pytest.approx(41.23)
    with pytest.raises(ColumnsWanted) as asked:
        read_trace("x.csv", f"a;b;c;d\n{ROWS}".encode())
    named = dict(zip(("time", "latitude", "longitude", "speed"), asked.value.header, strict=True))
    slow = read_trace("x.csv", f"a;b;c;d\n{ROWS}".encode(), columns={**named, "speed_unit": "m/s"})
    assert slow.speed[2] == pytest.approx(72 * 3.6)


def gpx(*points: str, head: str = "") -> bytes:
    return f'{head}<gpx xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>{"".join(points)}'.encode() + (
        b"</trkseg></trk></gpx>"
    )


def point(k: int, time: str | None = None, place: str = 'lat="41.2" lon="-2.6"') -> str:
    moment = f"<time>{time or f'2026-03-05T10:00:{k:02d}Z'}</time>" if time != "" else ""
    return f"<trkpt {place}>{moment}</trkpt>"


BOMB = '<!DOCTYPE g [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]>'


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (gpx(*(point(k, "") for k in range(9))), "time of every sample"),
        (gpx(point(1), point(2), point(3)), "samples of a drive"),
        (gpx(point(1), point(2, "2026-03-05T10:00:02"), point(3), point(4)), "one zone"),
        (gpx(point(1), point(2), point(3), point(4, place='lat="95" lon="0"')), "on the earth"),
        (gpx(point(1), point(2), point(3), point(4, place='lat="x" lon="0"')), "figure"),
        (gpx(*(point(k) for k in range(6)), head=BOMB), "without entities"),
        (gpx(*(point(k) for k in range(6)))[:-30], "GPX"),
        (b"<kml><a/></kml>", "GPX"),
        (b"\x00\xff\xfe\x01", "GPX"),
        (b"time,lat,lon\n" + b"\n".join(b"%d,41,-2" % (k % 3) for k in range(1_000_002)), "fewer samples"),
        (b"time,lat,lon\n1,41,-2\n2,dry,-2\n3,41,-2\n4,41,-2\n", "figure"),
        (b"time,speed\n1,40\n2,-4\n3,40\n4,40\n", "speed"),
    ],
)
def test_a_file_that_is_no_trace_gets_one_sentence(content: bytes, words: str) -> None:
    with refused(BadInput, match=words):
        read_trace("ride", content)


def test_moments_without_a_zone_are_the_garages_own() -> None:
    points = [point(k, f"2026-03-05T10:00:0{k}") for k in range(5)]
    assert read_trace("a.gpx", gpx(*points), timezone(timedelta(hours=1))).t[0] == 1772701200.0


def test_a_road_teaches_by_its_passes_and_its_spread_is_told() -> None:
    road, passes = ROADS["valley-road"], []
    for seed in range(5):
        rng = np.random.default_rng(seed)
        trace = received(driven(road, 2, rng, AT, busy=0.5), Receiver(hz=2), rng)
        found = passes_of(trace, road)
        assert len(found) == 2
        judged = judge(trace.t, *moving(trace, 2.0), LIMITS)
        passes += [PastPass(10.0, pass_of(judged, *ends)) for ends in found]
    assert all(0.3 < one.brought.counted_km / road.length_km < 0.95 for one in passes)
    need = DriveNeed(distance_km=15.5)
    known = [(one, passes if one is road else []) for one in ROADS.values()]
    best, *others = proposals(need, 10.2, known, lines=True)
    assert (best.road.id, best.known, best.spread is not None) == ("valley-road", 10, True)
    assert best.fewest_s is not None
    assert best.total_s is not None
    assert best.fewest_s <= best.total_s <= (best.most_s or math.inf)
    assert [(one.road.id, one.passes) for one in others][-1] == ("old-pass", None), "its lines are poor"
    assert others[0].known == 0


@pytest.mark.parametrize(("hour", "km"), [(8.0, 2.0), (23.5, 6.0), (15.0, 4.0)])
def test_passes_of_about_that_hour_tell_most(hour: float, km: float) -> None:
    road = ROADS["ring"]
    past = [PastPass(h, Pass(counted_km=c, counted_s=200, total_s=300)) for h, c in [(8.2, 2), (0.3, 6)] for _ in "abc"]
    (found,) = proposals(DriveNeed(distance_km=12), hour, [(road, past)])
    assert found.share == pytest.approx(min(1.0, km / road.length_km))
    assert found.passes == math.ceil(12 / km)


@pytest.mark.parametrize(
    ("left", "asked"), [((3.0, 0.0), (3.0, None)), ((0.0, 0.0), None), ((None, 90.0), (None, 90.0))]
)
def test_what_is_needed_still(left: tuple[float | None, float | None], asked: tuple[float, float] | None) -> None:
    need = DriveNeed(distance_km=None if left[0] is None else 9.0, time_s=600.0)
    found = less(need, *left)
    assert (None if found is None else (found.distance_km, found.time_s)) == asked


def test_a_bend_is_looked_for_half_a_window_to_either_side() -> None:
    t = np.arange(41.0)
    limits = DriveLimits(speed_min=40, speed_max=90, radius_min=300, window_s=8)
    judged = judge(t, np.full(41, 72.0), np.where(t > 20, 40.0, 0.0), limits)
    # Nine intervals of 20 m have the turn within 4 s: 180 m in 40 degrees is a radius of 258 m.
    assert np.flatnonzero(judged.lost == 3).tolist() == list(range(16, 25))


def test_metres_of_a_degree_are_those_of_the_ellipsoid() -> None:
    # WGS 84 at 45 degrees: 111 132 m of latitude, 78 847 m of longitude.
    east, north = metres_of(np.array([44.5, 45.5]), np.array([179.5, -179.5]))
    assert (float(east[1]), float(north[1])) == (pytest.approx(78_847, abs=3), pytest.approx(111_132, abs=3))


def test_over_a_gap_no_speed_is_taken_from_positions() -> None:
    t = np.concatenate([np.arange(20.0), np.arange(80.0, 100.0)])
    way = np.concatenate([np.arange(20.0), np.arange(20.0) + 20]) * 20.0
    nothing = np.full(40, np.nan)
    speed, heading = moving(Trace(t, 41.0 + way / 111_066.0, np.full(40, -2.0), nothing, nothing), 2.0)
    assert speed == pytest.approx(np.full(40, 72.0), abs=0.2)
    assert np.cos(np.radians(heading)) == pytest.approx(np.ones(40))


def test_sparse_positions_do_not_cut_a_bend_and_a_told_speed_does_not_flutter() -> None:
    second, radius, pace = np.arange(30.0), 120.0, 20.0
    turned = second * pace / radius
    degrees = math.degrees(1 / EQUATORIAL_M)
    told = np.full(30, np.nan)
    bend = Trace(second, radius * np.sin(turned) * degrees, radius * (1 - np.cos(turned)) * degrees, told, told)
    speed, heading = moving(bend, 2.0)
    assert speed[6:-6] == pytest.approx(pace * 3.6, rel=8e-3), "a line through five would be 1.6 % short"
    assert np.diff(heading)[6:-6] == pytest.approx(math.degrees(pace / radius), abs=0.1)
    tenth = np.arange(100) / 10
    flutter = np.where(np.arange(100) % 2, 60.4, 59.6)
    flutter[50:] = np.nan
    dense = Trace(tenth, tenth * 1e-5, tenth * 0, flutter, np.zeros(100))
    calm, _ = moving(dense, 2.0)
    assert calm[:44] == pytest.approx(60.0, abs=0.1)


@pytest.mark.parametrize("stands_s", [0, 90])
def test_a_speed_that_is_told_in_whole_kilometres_rises_steadily(stands_s: int) -> None:
    t = np.arange(0, 60 + stands_s, 0.1)
    true, nothing = np.where(t < 60, 45 + t / 2, 0.0), np.full(len(t), np.nan)
    speed, _ = moving(Trace(t, nothing, nothing, np.round(true), t * 0), 2.0)
    assert np.sqrt(np.mean((speed - true)[t < 58] ** 2)) < 0.15, "of the step it would be 0.29"
    assert (speed[t > 62] == 0).all()


@pytest.mark.parametrize(
    ("hz", "step", "by_places"), [(1, 0.0, False), (10, 0.0, False), (10, 1.0, False), (1, 0.0, True), (10, 0.0, True)]
)
def test_a_steady_speed_is_known_better_than_each_sample_of_it_and_braking_stays_sharp(
    hz: int, step: float, by_places: bool
) -> None:
    rng = np.random.default_rng(3)
    t = np.arange(0, 120, 1 / hz)
    true = np.interp(t, [0, 40, 44, 80, 86, 120], [46.3, 46.3, 70, 70, 30, 30])
    nothing, off = np.full(len(t), np.nan), rng.normal(0, 0.5, len(t))
    told = np.round((true + off) / step) * step if step else true + off
    way = np.concatenate([[0.0], np.cumsum((true[:-1] + true[1:]) / 7.2 * np.diff(t))]) + off
    north = 41.0 + way / 111_066.0 if by_places else nothing
    trace = Trace(t, north, np.full(len(t), -2.0), nothing if by_places else told, nothing if by_places else t * 0)
    error = moving(trace, 2.0)[0] - true
    steady = (t > 3) & (t < 36)
    # Of a slope through two, or fifteen, positions on either side: u / √Σ t².
    spread = {1: 0.57, 10: 0.36}[hz] if by_places else 0.5
    assert np.sqrt(np.mean(error[steady] ** 2)) < spread / 2
    assert np.sqrt(np.mean(error[(t > 38) & (t < 90)] ** 2)) < (1.5 if by_places else 0.6)
