"""Robots whose vehicle, floor and frame are as unlike the model as it says, with or without one blunder of a person.

The frame leans, the floor lies as unknown floors do, hubs stand off their places and heights (the front ones together,
as the wheelbase errs), the body's pairs are as unlike as the vehicle's u says, and each tool has one error of its own
for a whole visit. The truth is asked of the virtual bay, never of the product. Shares are told with the upper end of
their 95 % bound (Clopper and Pearson).
"""

import math
import random
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import robots
from bounds import Row, rms, share

from escuadra.core.base.axes import Pose
from escuadra.core.base.corners import CORNERS
from escuadra.core.bay.bay import Bay
from escuadra.core.instruments.screw import Mechanics
from escuadra.core.visit.checks.base import Figure
from escuadra.core.visit.log.disturbances import POSE, UPRIGHT
from escuadra.core.visit.log.events import Disturbed, FrameKnown, LinePlanned, ProcedureRun
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.methods.beams import U_SEAT_DEG
from escuadra.core.visit.methods.marks import ENDS_OF_BODY, U_PLUMB_MM, U_SET_MM
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.readings import U_HUB_MM
from escuadra.core.visit.scene import PAIRS_UP_MM, U_PAIRS_UP_MM, Space
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.network_builder import PARALLAX
from escuadra.core.visit.solution.upright import U_AXLE_MM, U_WHEELBASE_MM
from escuadra.devices.robot import PlainTechnician, Robot
from escuadra.devices.virtual_bay import LENGTHS, VirtualBay

SEAT = math.radians(U_SEAT_DEG)
QUANTITIES = ("square", "centred", "distance", "target_height")
GROUND = Bay(name="Norte", length=24_000, width=12_000, u_rise_mm=0.4, u_place_mm=0.2)
BLUNDERS = ("10 mm", "25 mm", "digit", "swapped", "sign", "bump")
MOST_STEPS = 160


class UnlikeBay(VirtualBay):
    """A bay whose vehicle is as unlike its model as the model says that it may be."""

    def __init__(self, plan: Plan, start: tuple[float, float, float, float], seed: int, by_beams: bool = False) -> None:
        super().__init__(plan, start, seed)
        self.by_beams = by_beams
        gauss, u = self.chance.gauss, plan.vehicle.u_hub_mm
        longer = gauss(0, U_WHEELBASE_MM)
        aside = gauss(0, U_AXLE_MM)
        off = {
            corner: (
                gauss(0, u) + (longer if corner[1] == "F" else 0.0),
                gauss(0, u) + (aside if corner[1] == "R" else 0),
            )
            for corner in CORNERS
        }
        self.face, self.seen = gauss(0, plan.frame.u_face_mm), PARALLAX[0][1]
        self.laser = [gauss(0, math.hypot(U_SET_MM, U_PLUMB_MM)) for _ in range(2)]
        """How far off its front and its rear mark the laser stands, as it was set and they were plumbed."""
        self.seats = {c: gauss(0, SEAT) for c in ("LR", "RR")}
        self.hub_up = {corner: gauss(0, U_HUB_MM) for corner in CORNERS}
        up = {end: gauss(PAIRS_UP_MM, U_PAIRS_UP_MM) for end in ENDS_OF_BODY}
        self.scene = replace(self.scene, hub_off=off, pairs_up=up)
        self.pairs = {
            f"{end}.{k}": gauss(0, plan.vehicle.marks.u_symmetry_mm) for end in ENDS_OF_BODY for k in range(1, 9)
        }

    def _hub(self, corner: str) -> Space:
        x, y, z = super()._hub(corner)
        return x, y, z + self.hub_up[corner]  # type: ignore[index]

    @property
    def centre(self) -> Space:
        """Where the target's centre truly is: it does not hang just as far before the beam as its frame says."""
        return self.leaning.in_space(-self.plan.frame.face_offset - self.face, self.hang, self.centre_up)

    @property
    def crossing(self) -> float:
        """How far off the laser falls on the beam."""
        marks, (near, far) = self.plan.vehicle.marks, self.laser
        beyond = (self.plan.nominal_goal.x - marks.front_x) / (marks.front_x - marks.rear_x)
        return (1 + beyond) * near - beyond * far

    def true(self, slot: Slot) -> float:
        found, parts = super().true(slot), slot.id.split(".")
        if parts[0] == "pair":
            found += self.pairs[f"{parts[1]}.{parts[2]}"]
        if parts[0] == "crossing":
            found += self.crossing
        if parts[0] == "ruler":
            found += (self.plan.nominal_goal.x - self.plan.vehicle.hub(parts[1])[0]) * self.seats[parts[1]]  # type: ignore[arg-type]
        return found + self.chance.gauss(0, self.seen) if parts[0] in ("tape", "crossing", "wheelbase") else found

    def truth(self) -> dict[str, float]:
        """What each check should say, to the line through the body's middle, from the hubs as they stand."""
        off, procedure = self.off(), self.plan.procedure
        # By the beams it is the thrust line: it starts from the middle between the rear wheels as they stand.
        beside = (self.scene.hub_off["LR"][1] + self.scene.hub_off["RR"][1]) / 2 if self.by_beams else 0.0
        hubs = {"front_hubs": ("LF", "RF"), "rear_hubs": ("LR", "RR")}.get(procedure.datum, ())
        sides = [c for c in hubs if procedure.datum_side in ("mean", {"L": "left", "R": "right"}[c[0]])]
        ahead = [float(self.scene.hub_off[c][0]) for c in sides]  # type: ignore[index]
        shift = sum(ahead) / len(ahead) if ahead else 0.0
        return {
            "square": off["yaw"],
            "centred": off["centre"] - beside,
            "distance": procedure.distance + off["distance"] - shift,
            "target_height": procedure.height + off["height"],
        }


@dataclass(frozen=True)
class Ended:
    """How a visit ended."""

    sheet: str
    blunder: str
    """What was done wrong, in which slot; empty where nothing was."""
    done: bool
    stuck: str
    """Where it came to a dead end: what the sheet said."""
    out: tuple[str, ...]
    """What is truly out although everything holds."""
    off: Mapping[str, Sequence[float]]
    """Error over u of each quantity that was told, at each station at which it held."""
    noticed: bool
    asked: tuple[str, ...]
    """What was asked for again, in its order."""
    named: bool
    """The right one was among the first two that were asked for again or blamed."""
    read: int
    """Figures that were typed at the frame until it first held."""
    minutes: float
    """What readings at the frame and moves took until then."""


BEAMS = ("mirrors", "rulers", "hubs")
"""Ways of finding the line, and where the frame stands to it, that need no tape to the beam."""
READY = ("pair", "mark", "slope")
"""Slots of what is read before the frame."""


class Person(Robot):
    """A robot who reads as well as the tools do, and may do one thing wrong."""

    bay: UnlikeBay

    def __init__(self, bay: UnlikeBay, seed: int, blunder: str, planted: tuple[int, float] = (0, 0.0)) -> None:
        """``planted``: an error of its own at the so manieth reading."""
        self.planted, self.nth, self.at_frame = planted, dict[int, int](), 0
        self.chance, self.blunder, self.slip = random.Random(seed + 7), blunder, ""
        self.when = self.chance.randint(2, 32)
        self.count, self.asked_again, self.troubled = 0, list[str](), False
        self.off, self.out, self.took = dict[str, list[float]](), list[str](), (0, 0.0)
        super().__init__(bay)

    def begin(self) -> None:
        """Two pairs at either end and the marks plumbed from them, as they are read; or the beams that are planned.

        What that takes is none of the minutes at the frame: whoever works by tape and tick needs it too.
        """
        if self.bay.by_beams:
            self.desk.say(LinePlanned(methods=list(BEAMS)))
            return
        for slot in METHODS["marks"].slots(self.bay.plan):
            if slot.id != "crossing":
                self._read(slot)
        self.minutes = 0.0

    def _read(self, slot: Slot) -> None:
        if slot.ask != "number":
            super()._read(slot)
            return
        self.count += 1
        self.minutes += slot.minutes
        planted = self.count == self.planted[0]
        value = self.bay.read(slot, self.planted[1] if planted else 0.0)
        if self.blunder and not self.slip and self.count >= self.when:
            value = self._slipped(slot, value)
        if planted:
            self.slip = slot.id
        self.at_frame += slot.id.partition(".")[0] not in READY
        self.desk.read(slot.id, value, self.bay.tool(slot))
        self.nth[self.desk.state.seq] = self.count

    def _slipped(self, slot: Slot, value: float) -> float:
        parts = slot.id.split(".")
        if self.blunder == "bump" and parts[0] in ("tape", "crossing"):
            pose = self.bay.scene.pose
            self.bay.nudge(Pose(x=pose.x + 5.0, y=pose.y + 5.0, yaw_deg=pose.yaw_deg + 0.2))
            self.slip = "bump"
            return self.bay.read(slot)
        if self.blunder == "sign" and parts[0] in ("level", "slope", "crossing") and abs(value) > 0.1:
            self.slip = slot.id
            return -value
        if self.bay.tool(slot) is not LENGTHS or self.blunder in ("bump", "sign"):
            return value
        if self.blunder == "swapped" and parts[0] == "tape":
            other = slot.id.replace("LF_end", "*").replace("RF_end", "LF_end").replace("*", "RF_end")
            self.slip = slot.id
            return self.bay.at(other)
        self.slip = slot.id if self.blunder != "swapped" else ""
        way = self.chance.choice((-1, 1))
        return value + {"10 mm": 10 * way, "25 mm": 25 * way, "digit": 100 * way, "swapped": 0}[self.blunder]

    def visit(self) -> Ended:
        """From the first reading to everything holding at each place of the frame, or to where it cannot go on."""
        stuck, done = "", False
        for _ in range(MOST_STEPS * len(self.bay.plan.whole.at_stations or "1")):
            sheet = self.desk.sheet
            self._look(sheet)
            if not [v for v in sheet.checks if not v.settled and v.check.group != "result"]:
                self._held(sheet)
                if not self._went_on(sheet):
                    done = True
                    break
                continue
            move = self._next(sheet)
            if move is None:
                stuck = f"{sheet.next.kind} {sheet.next.sentence.code} {sheet.next.check}"
                break
            happening, by, slot = move
            if happening:
                self._moved()
                self.bay.obey(happening, by)
                self.desk.say(Disturbed(what=happening, source="told", by=dict(by)))
            else:
                if self.slip and sheet.next.replaces:
                    self.asked_again.append(slot)
                self._read(sheet.slots[slot].slot)
        else:
            stuck = "goes on and on"
        return self._ended(done, stuck)

    def _look(self, sheet: Sheet) -> None:
        self.troubled |= bool(self.slip) and any(view.judgement.inconsistency for view in sheet.checks)

    def _held(self, sheet: Sheet) -> None:
        """Everything holds: what is told beside what is true."""
        truth = self.bay.truth()
        told: dict[str, Figure] = {v.check.kind: v.judgement.figures[0] for v in sheet.checks if v.judgement.figures}
        self.took = self.took if self.off else (self.at_frame, self.minutes)
        for kind in QUANTITIES:
            if (one := told.get(kind)) is not None:
                self.off.setdefault(kind, []).append((one.value - truth[kind]) / one.u)
                if not _within(one.lower, truth[kind], one.upper):
                    self.out.append(kind)

    def _went_on(self, sheet: Sheet) -> bool:
        """The procedure is run at the station at hand; whether the frame goes on to another."""
        here, every = sheet.plan.station, list(sheet.plan.whole.at_stations.values())
        if here is None or here == every[-1].station:
            return False
        self.desk.say(ProcedureRun(station=here.id, name=here.name, said=[], tools=[]))
        after = self.desk.sheet.plan
        if after.station is None or after.station == here or after.station.own_place:
            return False
        self.bay.go(after)
        self.bay.hang = after.hang
        return True

    def _ended(self, done: bool, stuck: str) -> Ended:
        first = list(dict.fromkeys(map(together, self.asked_again)))[:2]
        noticed = self.troubled or bool(self.asked_again) or bool(stuck)
        named = together(self.slip) in first or (self.slip == "bump" and noticed)
        slip = f"{self.blunder}: {self.slip}" if self.slip else ""
        out = tuple(self.out) if done else ()
        found = (out, self.off, noticed, tuple(first), named, *self.took)
        return Ended(self.desk.sheet.plan.procedure.id, slip, done, stuck, *found)


def together(slot: str) -> str:
    """What is read in one go: a pair is two readings of one tape that lies across both its marks."""
    return slot.rpartition(".")[0] if slot.startswith("pair.") else slot


def _within(lower: float | None, value: float, upper: float | None) -> bool:
    return (lower is None or value >= lower) and (upper is None or value <= upper)


def begun(k: int, every: Sequence[Plan] = ()) -> tuple[Plan, tuple[float, float, float, float]]:
    """The sheet of a visit by its number, of some or of all, and where its frame stands at first."""
    every, chance = every or robots.plans(), random.Random(k)
    start = (chance.uniform(-40, 40), chance.uniform(-40, 40), chance.uniform(-2, 2), chance.uniform(-40, 40))
    return every[k % len(every)], start


def by_beams(given: tuple[int, bool]) -> Ended:
    """One visit with mirrors, rulers and hub distances, by its number; with a blunder at the frame or without."""
    (k, wrong), every = given, robots.plans()
    plan, start = begun(k)
    blunder = BLUNDERS[k // len(every) % len(BLUNDERS)] if wrong else ""
    person = Person(UnlikeBay(plan, start, k, by_beams=True), k, blunder)
    person.when = person.chance.randint(6, 30)
    return person.visit()


def known(given: tuple[int, bool]) -> Ended:
    """One honest visit in a bay whose floor was ground flat, with a frame whose screw earlier jobs taught; by beams?"""
    k, beams = given
    plan, start = begun(k, tuple(replace(plan, bay=GROUND) for plan in robots.plans()))
    bay = UnlikeBay(plan, start, k, by_beams=beams)
    person, (gain, lost) = Person(bay, k, ""), (bay.knobs.yaw_gain, bay.knobs.yaw_lost_deg)
    learned = Mechanics(deg_per_turn=gain, u_deg_per_turn=0.003, lost_deg=lost, u_lost_deg=0.01)
    person.desk.say(FrameKnown(mechanics=learned))
    return person.visit()


def added(k: int) -> float:
    """Minutes at the frame more than a technician takes who reads all once, corrects the worst axis, and so on."""
    plan, start = begun(k, robots.by_tape())
    plain = PlainTechnician(UnlikeBay(plan, start, k))
    plain.work()
    return Person(UnlikeBay(plan, start, k), k, "").visit().minutes - plain.minutes


def one(given: tuple[int, bool]) -> Ended:
    """One visit, by its number; with a blunder or without."""
    k, wrong = given
    every = robots.plans()
    plan, start = begun(k)
    return Person(UnlikeBay(plan, start, k), k, BLUNDERS[k // len(every) % len(BLUNDERS)] if wrong else "").visit()


def detectable(k: int) -> Ended | None:
    """One visit with an error as small as is found in four of five cases, in one look at something at the frame.

    Its size is what the same visit without it says of that look; nothing where nothing there is checked.
    """
    (plan, _), chance = begun(k), random.Random(k + 1)
    start = tuple(chance.uniform(-40, 40) if axis != 2 else chance.uniform(-2, 2) for axis in range(4))
    honest = Person(UnlikeBay(plan, start, k), k, "")  # type: ignore[arg-type]
    solution = honest.desk.sheet.epochs.newest if honest.visit().done else None
    if solution is None:
        return None
    found = zip(solution.acts, solution.reaching.smallest, strict=True)
    checked = [(act, s) for act, s in found if s < act.cap and act.slot.aspects & (POSE | UPRIGHT)]
    if not checked:
        return None
    act, size = chance.choice(checked)
    planted = honest.nth[act.seq], chance.choice((-1, 1)) * size
    return Person(UnlikeBay(plan, start, k), k, "", planted).visit()  # type: ignore[arg-type]


def visits(count: int, wrong: bool) -> list[Ended]:
    """So many visits over every practice sheet in turn."""
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(one, [(k, wrong) for k in range(count)], chunksize=4))


def detected(count: int) -> tuple[int, int]:
    """How many of so many visits showed an error of a detectable size, and how many had one."""
    with ProcessPoolExecutor(2) as pool:
        found = [one for one in pool.map(detectable, range(count), chunksize=4) if one is not None]
    return sum(one.noticed for one in found), len(found)


def race(count: int) -> tuple[list[Ended], list[Ended]]:
    """So many honest visits, and those of as many others in which a blunder came to pass."""
    return visits(count, False), [v for v in visits(count, True) if v.blunder]


def figures(count: int = 200) -> dict[str, Row]:
    """What ``make bench`` tells of so many honest visits and as many with a blunder."""
    return figures_of(*race(count), count)


def figures_of(sound: Sequence[Ended], wrong: Sequence[Ended], count: int) -> dict[str, Row]:
    """Each figure of a race with its limits."""
    seen = [v for v in wrong if v.noticed]
    shares = {
        "false_holds_robots": ([bool(v.out) for v in sound], (0.0, 0.026), "robots: all holds, something truly out"),
        "dead_ends": ([not v.done for v in (*sound, *wrong)], (0.0, 0.0), "robots that could not go on"),
        "blunders_noticed_any": ([v.noticed for v in wrong], (0.0, 1.0), "blunders of any size noticed (reported)"),
        "blunders_named": ([v.named for v in seen], (0.9, 1.0), "of these, the right slot among the first two re-read"),
        "wrong_and_out": ([bool(v.out) for v in wrong], (0.0, 0.026), "after a blunder all holds, something truly out"),
        "silent_and_out": ([not v.noticed and bool(v.out) for v in wrong], (0.0, 0.01), "unnoticed and truly out"),
    }
    found = {
        name: Row.of_share(sum(hits) / len(hits), len(hits), limits, f"{what}: {share(sum(hits), len(hits))}")
        for name, (hits, limits, what) in shares.items()
    }
    shown, planted = detected(count)
    found["blunders_noticed"] = Row.of_share(
        shown / max(planted, 1),
        planted,
        (0.78, 1.0),
        f"robots: an error of the size that is found in 4 of 5 cases shows itself: {share(shown, planted)}",
    )
    entries = sorted(v.read for v in sound if v.done)
    found["entries_per_setup_tape_unknown"] = Row(
        float(entries[len(entries) // 2]),
        (0.0, math.inf),
        f"robots: figures typed at the frame from a start 40 mm and 2 degrees off, median; most {entries[-1]}",
    )
    beams, more = by_beam_schools(count // 4)
    found |= beams
    found["added_minutes"] = more
    for kind in QUANTITIES:
        values = [off for v in sound if v.done for off in v.off.get(kind, ())]
        what = f"robots: (told − true) ÷ u of {kind}, root mean square, n = {len(values)}"
        found[f"e_over_u_{kind}"] = Row.of_rms(rms(values), len(values), (0.9, 1.1), what)
    return found


def by_beam_schools(count: int) -> tuple[dict[str, Row], Row]:
    """So many honest visits by the beams, and the minutes that honest visits with tapes add to tape and tick."""
    with ProcessPoolExecutor(2) as pool:
        ended = list(pool.map(by_beams, [(k, False) for k in range(count)], chunksize=4))
        wrong = [v for v in pool.map(by_beams, [(k, True) for k in range(count)], chunksize=4) if v.blunder]
        minutes = sorted(pool.map(added, range(count), chunksize=4))
        typed = {
            beams: sorted(v.read for v in pool.map(known, [(k, beams) for k in range(count)], chunksize=4) if v.done)
            for beams in (False, True)
        }
    done, lost = [v for v in ended if v.done], [v for v in wrong if not v.done]
    entries, out = sorted(v.read for v in done), sum(bool(v.out) for v in ended)
    stuck = len(ended) - len(done)
    rows = {
        f"entries_per_setup_{name}": Row(
            float(typed[beams][len(typed[beams]) // 2]),
            (0.0, 20.0),
            f"robots with {what}, known bay and frame: figures typed at the frame, median; most {typed[beams][-1]}",
        )
        for name, beams, what in (("tape", False, "tapes"), ("beams", True, "mirrors, rulers and hub distances"))
    } | {
        "entries_per_setup_beams_unknown": Row(
            float(entries[len(entries) // 2]) if entries else math.inf,
            (0.0, math.inf),
            f"robots with mirrors, rulers and hub distances: figures typed, median; most {max(entries, default=0)}",
        ),
        "false_holds_beams": Row.of_share(
            out / count, count, (0.0, 0.026), f"the same: something truly out: {share(out, count)}"
        ),
        "dead_ends_beams": Row.of_share(
            stuck / count, count, (0.0, 0.0), f"the same: could not go on: {share(stuck, count)}"
        ),
        "dead_ends_beams_wrong": Row.of_share(
            len(lost) / max(len(wrong), 1),
            len(wrong),
            (0.0, 0.0),
            f"the same with a blunder: {share(len(lost), len(wrong))} {[(v.sheet, v.blunder, v.stuck) for v in lost]}",
        ),
    }
    what = f"robots: minutes at the frame more than tape and tick, median of {count}; most {minutes[-1]:.0f}"
    return rows, Row(minutes[len(minutes) // 2], (-math.inf, 4.0), what)


def told(count: int) -> int:
    """Print what came of it; 1 where a limit does not hold."""
    sound, wrong = race(count)
    broken = 0
    for name, one in figures_of(sound, wrong, count).items():
        (low, high), holds = one.limits, one.within
        broken |= not holds
        print(f"{'holds ' if holds else 'BROKEN'} {name} {one.value:.3f} ({low:g} to {high:g}) {one.what}", flush=True)
    for v in [v for v in (*sound, *wrong) if not v.done or (v.out and not v.blunder)]:
        print("   ", v.sheet, v.blunder, v.stuck, v.out, v.read)
    print("not named:", *(f"{v.sheet} {v.blunder} asked {v.asked};" for v in wrong if v.noticed and not v.named))
    return int(broken)


if __name__ == "__main__":
    import sys

    sys.exit(told(int(sys.argv[1]) if len(sys.argv) > 1 else 600))
