"""A virtual bay: the true state of vehicle and frame, what a noisy instrument reads in it, and what a move does.

Knobs have lost motion and another gain than the profile says; pushing a frame by hand turns it a little. Devices and
the robot technician look into it; floor and frame lean. Lengths in millimetres, angles in degrees.
"""

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.measure.readings import Instrument
from escuadra.core.procedure.sheet import datum_at
from escuadra.core.visit.checks.also_hung import AlsoHungCheck
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.methods.marks import U_PLUMB_MM
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.scene import Scene, Space
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.target_on_beam import sag
from escuadra.core.visit.target_on_stand import on_face, points_of
from escuadra.core.visit.tripod import emblem_lever, wanted_distance
from escuadra.devices.virtual_sensors import Misled

RACK_APART = 2400.0
RACK_UP = {"rack.up_near": 352.0, "rack.up_far": 354.5}
"""How high the wheel's beam runs above the runway."""
TRIPOD_BY_HAND = (1.5, 1.5, 0.8, 0.06, 0.06)
"""How near what is told of a stand is done, one sigma: away, left, up in mm, its lean both ways in degrees."""
MARKED_MM = 1.2
"""How near a mark is made square to a hub, one sigma."""
PLUMBED = {"plumb_front": "front", "plumb_rear": "rear"}
"""Which centre mark is plumbed anew."""
LENGTHS = Instrument(resolution=1, accuracy_constant=0.4, accuracy_ppm=60, repeatability=0.3)
SCALE = Instrument(resolution=0.5, accuracy_constant=0.5, accuracy_ppm=0, repeatability=0.4)
DEGREES = Instrument(resolution=0.01, accuracy_constant=0.02, accuracy_ppm=0, repeatability=0.01)

STEADY_PLACES = {"bracket": 0.2, "steering": 0.3, "battery": 13.3}
"""What a level shows elsewhere than on frame and floor, degrees; and the meter at the battery, volts."""
SLOPES = {"along": -0.12, "across": 0.08}
"""Of a floor that was not surveyed, percent: falling forward, rising left."""
LEANS_DEG = 0.12
"""How far a frame leans at most."""
ARCH_OFF_MM = -1.5
BEAM_ABOVE_HUBS = 207.0
BESIDE_MM = 1.5
"""How far left of its place a further target is hung by eye."""
OWN_MM = {"sensor": 6.0, "part": -7.0}
"""How far the sensor is to the left, and a bumper or an emblem ahead, of where a model has it."""


@dataclass(frozen=True)
class Knobs:
    """What the frame's mechanics really do."""

    yaw_gain: float
    """Degrees a turn."""
    yaw_lost_deg: float
    slide_gain: float
    crank_gain: float


RUN_OUT = (("left", "first", 23.0), ("left", "second", -23.0), ("right", "first", -9.0), ("right", "second", 9.0))
"""How far a mirror's clamp runs out as it sits, where its beam comes back, mm: the other way half a turn on."""


class VirtualBay:
    """The true state of a bay: vehicle, frame, heights, level; what is read there and what a move does."""

    def __init__(self, plan: Plan, start: tuple[float, float, float, float], seed: int) -> None:
        """``start``: how far the frame stands off its goal: away, left (mm), yaw (degrees), height (mm)."""
        self.plan, self.chance = plan, random.Random(seed)
        goal, (away, left, yaw, up) = plan.nominal_goal, start
        pose = Pose(x=goal.x + away, y=goal.y + left, yaw_deg=yaw)
        self.scene = Scene(plan, pose, dict.fromkeys(CORNERS, 0.06))
        self.tilt, self.floor = self._laid()
        self.roll, self.pitch = (self.chance.uniform(-LEANS_DEG, LEANS_DEG) for _ in range(2))
        self.beam = plan.vehicle.hub_height + BEAM_ABOVE_HUBS
        self.centre_up = plan.target_above_floor + self.floor["target"] + up - self.beam
        """Of the target's centre above the beam, along the frame's mast."""
        self.knobs = Knobs(
            plan.frame.yaw_deg_per_turn * self.chance.uniform(0.86, 1.14),
            self.chance.uniform(0.0, 0.08),
            self.chance.uniform(0.99, 1.01),
            self.chance.uniform(0.97, 1.03),
        )
        self._last_turn, self.hang, self.notch = 0.0, plan.hang, 0.0
        self.seated = {f"mirror.{side}.{turn}": run_out for side, turn, run_out in RUN_OUT}
        self.stand = (27.0, -16.0, 1.4)
        """Where a stand is put at first: forward and left of its place, mm, and its face turned left, degrees."""
        self.tripod = [31.0, -18.0, -9.0, 0.9, -0.7]
        """Of the stand's foot away from its place and to the left, of its target up, and of its lean both ways."""
        self.bodies: dict[str, list[float]] = {}
        """How far off each body of several stands: forward, left, up (mm), turned left, leaning back and sideways."""
        self.folds: dict[str, dict[str, tuple[float, float]]] = {}
        """Corners of a mat that lie elsewhere: forward and left of where they belong, mm."""
        self.looks = (0.0, 0.0)
        """How far the sensor looks to the left and down, degrees, as its mirror shows it."""
        shared = (LENGTHS, SCALE, DEGREES)
        self._offset = {tool: self.chance.gauss(0, tool.accuracy_constant / math.sqrt(3)) for tool in shared}

    def _laid(self) -> tuple[tuple[float, float], dict[str, float]]:
        """How the tyres' plane lies to gravity, and the floor above it at each place, as far as the plan knows."""
        standing, gauss = self.plan.standing, self.chance.gauss
        if standing is not None:
            roll, pitch = standing.roll_deg, standing.pitch_deg
            tilt = gauss(roll.value, roll.u), gauss(pitch.value, pitch.u)
        else:
            tilt = math.degrees(math.atan(SLOPES["across"] / 100)), -math.degrees(math.atan(SLOPES["along"] / 100))
        floor: dict[str, float] = {}
        for name, known in self.plan.floors:
            floor[name] = gauss(known.height, known.u) + (floor[known.on] if known.on is not None else 0.0)
        return tilt, floor

    def lay(self, floor: Mapping[str, float], tilt: Sequence[float]) -> None:
        """Lay the floor anew as it is known to be; where nothing is said of it, it is flat."""
        self.floor = dict.fromkeys(self.floor, 0.0) | {str(name): float(height) for name, height in floor.items()}
        if len(tilt) == 2:
            self.tilt = float(tilt[0]), float(tilt[1])

    @property
    def leaning(self) -> Scene:
        """The scene with the frame as it leans now; levels show its lean against gravity."""
        roll, pitch = self.roll - self.tilt[0], self.pitch - self.tilt[1]
        return replace(self.scene, up=self.beam, roll_deg=roll, pitch_deg=pitch, tilt=self.tilt)

    @property
    def centre(self) -> Space:
        """Where the target's centre truly is."""
        return self.leaning.in_space(-self.plan.face_ahead, self.hang, self.centre_up)

    @property
    def height(self) -> float:
        """Of the target's centre above the floor below it."""
        return self.centre[2] - self.floor["target"]

    @height.setter
    def height(self, above: float) -> None:
        self.centre_up += above - self.height

    # --- reading

    def tool(self, slot: Slot) -> Instrument:
        """The instrument that a slot is read with."""
        if slot.quantity is not None and slot.quantity.dimension in ("angle", "slope"):
            return DEGREES
        return SCALE if slot.reads == "scale" else LENGTHS

    def read(self, slot: Slot, mistaken: float = 0.0) -> float:
        """A reading of a slot: the truth, what the tool is off by, its noise, and its smallest step.

        ``mistaken``: by how much it is misread; what is written down is of the tool's steps all the same.
        """
        tool = self.tool(slot)
        value = self.true(slot) + mistaken + self._offset[tool] + self.chance.gauss(0, tool.repeatability)
        return round(value / tool.resolution) * tool.resolution

    def true(self, slot: Slot) -> float:
        """What a perfect eye would read."""
        return self.at(slot.id)

    def at(self, place: str) -> float:
        """What there is to be read at a place, by its slot's name; raises ``BadInput`` where there is nothing."""
        parts = place.split(".")
        if parts[0] == "tape":
            return math.dist(self._hub(parts[1]), self.leaning.in_space(*self.plan.frame_points[parts[2]]))
        if parts[0] == "wheelbase":
            return math.dist(self._hub(f"{parts[1]}R"), self._hub(f"{parts[1]}F"))
        if parts[0] == "beside":
            checks = (check for check in self.plan.procedure.checks if isinstance(check, AlsoHungCheck))
            hung = next(one for check in checks for one in check.targets if one.id == parts[1])
            if parts[2] == "edge":
                return (hung.edge_above or 0.0) + BESIDE_MM
            return self.plan.frame.scale_zero + hung.hang + BESIDE_MM
        if place == "laser.part":
            return self.centre[2] - self.plan.height
        if place == "sensor.offset":
            return self.plan.procedure.sensor.y + self._own("sensor")
        if place == "direct":
            (x, y), proxy = datum_at(self.plan.procedure, self.plan.vehicle), self.plan.procedure.proxy
            part = (x + self._own("part") - proxy.forward, y - proxy.left)
            return math.dist(part, self.centre[:2])
        if place == "height.target":
            return self.height - self.plan.up_to_centre
        if place == "height.beam":
            return self.height + (self.plan.target.drop or 0.0) + sag(self.plan)[0]
        if place in RACK_UP:
            return RACK_UP[place]
        if place == "rack.spot_up":
            x, y = self.scene.hub(self.plan.steered)
            beam = math.degrees(math.atan((RACK_UP["rack.up_far"] - RACK_UP["rack.up_near"]) / RACK_APART))
            return self.leaning.before_beam((x, y)) * math.tan(math.radians(2 * (self.pitch + beam)))
        if parts[0] == "tripod":
            return self._tripod(parts[1])
        if parts[0] == "together":
            return self._together(*parts[1:])
        if parts[0] == "spot":
            return self._spot(parts[1])
        if parts[0] in ("level", "hangs"):
            lean = self.roll if parts[1] == "roll" else self.pitch
            return lean + (self.notch if parts[1] == "tilt" else 0.0)
        if place == "spacing":
            return float(self.plan.station.spacing or 0.0) if self.plan.station is not None else 0.0
        if place == "hang":
            return self.plan.frame.scale_zero + self.hang
        if parts[0] == "stand" and len(parts) == 4:
            return self._stand_tape(*parts[1:])
        if parts[0] == "standheight":
            station = self._of_station(parts[1])
            return station.target_above_floor - station.up_to_centre + 2.0
        if parts[0] == "slope":
            return self._slope(parts[2])
        if parts[0] in STEADY_PLACES:
            return STEADY_PLACES[parts[0]]
        if parts[0] == "arch":
            return float(getattr(self.plan.vehicle.arches, parts[1])) + ARCH_OFF_MM
        if parts[0] == "height":
            return self._height_of(parts[1])
        for method in ("marks", "rig", "hubs", "mirrors", "panels", "rulers", "rack"):
            found = METHODS[method].exact(self.leaning).get(place)
            if found is not None:
                return found + self.seated.get(place, 0.0)
        raise BadInput("place", place, said("wants.place_these_devices_can_held"))

    def _tripod(self, what: str) -> float:
        """What is read at the stand before the vehicle, by where it truly is and leans."""
        plan, (away, left, up, lean_away, lean_left) = self.plan, self.tripod
        top = plan.target_above_floor + up
        passes = -(plan.aside + left + top * math.tan(math.radians(lean_left)))
        if what == "line" and plan.station is not None and plan.station.line_by == "seat":
            passes = (plan.station.seat - passes) / emblem_lever(plan)[0]
        return {
            "away": lean_away,
            "left": lean_left,
            "distance": wanted_distance(plan) + away + top * math.tan(math.radians(lean_away)),
            "line": passes,
            "height": top - plan.up_to_centre,
        }[what]

    def _off(self, station: str, number: int) -> list[float]:
        """How a body stands; at first as anybody sets one down by tapes."""
        known, gauss = self._of_station(station).station, self.chance.gauss
        first = [gauss(0, 14), gauss(0, 14), gauss(0, 6), gauss(0, 0.6), gauss(0, 0.4), gauss(0, 0.4)]
        if known is not None and known.bodies[number - 1].kind == "line":
            first[0] *= MARKED_MM / 14
        return self.bodies.setdefault(f"{station}.{number}", first)

    def marked(self, station: str, name: str) -> None:
        """A line's mark was made anew, square to its hub."""
        known = self._of_station(station).station
        number = next(n for n, one in enumerate(known.bodies, 1) if one.id == name) if known is not None else 0
        self._off(station, number)[0] = self.chance.gauss(0, MARKED_MM)

    def _corner(self, station: str, name: str, point: str) -> Space:
        """Where a point of a body truly is: turned and leant about its lower edge's middle."""
        known = self._of_station(station).station
        assert known is not None
        number, body = next((n, one) for n, one in enumerate(known.bodies, 1) if one.id == name)
        forward, left, up, turn, back, aside = self._off(station, number)
        half = {"left": 0.5, "right": -0.5}.get(point.split("_")[1], 0.0) * body.width
        high = body.height if point.startswith("top") else 0.0
        face = math.radians(body.facing_deg + turn)
        # Behind the face, and to the left of who looks at it.
        behind, beside = (-math.cos(face), -math.sin(face)), (math.sin(face), -math.cos(face))
        if body.kind == "mat":
            away, along, z = high, half, 0.0
        else:
            lean, roll = math.radians(back), math.radians(aside)
            along = half * math.cos(roll) - high * math.sin(roll)
            upward = half * math.sin(roll) + high * math.cos(roll)
            away, z = upward * math.sin(lean), body.bottom + up + upward * math.cos(lean)
        dx, dy = self.folds.get(name, {}).get(point, (0.0, 0.0))
        x = body.x + forward + away * behind[0] + along * beside[0] + dx
        y = body.y + left + away * behind[1] + along * beside[1] + dy
        return x, y, z

    def _beside_line(self, station: str, name: str, at: tuple[float, float]) -> tuple[float, float]:
        """A place square to a body's lower edge, and along it from the edge's right end."""
        (ax, ay, _), (bx, by, _) = (self._corner(station, name, f"bottom_{side}") for side in ("right", "left"))
        wide = math.dist((ax, ay), (bx, by))
        ux, uy = (bx - ax) / wide, (by - ay) / wide
        return -uy * (at[0] - ax) + ux * (at[1] - ay), ux * (at[0] - ax) + uy * (at[1] - ay)

    def _together(self, station: str, name: str, kind: str, point: str, to: str) -> float:
        """What is read of one of several bodies, by where they all truly are."""
        x, y, z = self._corner(station, name, point)
        outline, (what, _, which) = self.plan.vehicle.outline, to.partition("_")
        marks = self.plan.vehicle.marks
        match what:
            case "hub":
                return math.dist((x, y), self.scene.hub(which))  # type: ignore[arg-type]
            case "mark":
                return math.dist((x, y), (marks.front_x if which == "front" else marks.rear_x, 0.0))
            case "bumper" if which == "front":
                return x - self.plan.vehicle.wheelbase - outline.front_overhang
            case "bumper":
                return -x - outline.rear_overhang
            case "flank":
                return abs(y) - outline.width / 2
            case "floor":
                return z
            case "square":
                hx, hy = self.scene.hub(which)  # type: ignore[arg-type]
                return abs(self._beside_line(station, name, (hx, hy))[0])
            case "out" | "back":
                line, _, mark = which.partition("_")
                out, along = self._beside_line(station, line, (x, y))
                wide = self._corner(station, line, mark)
                return abs(out) if what == "out" else abs(along - self._beside_line(station, line, wide[:2])[1])
            case "level":
                known = self._of_station(station).station
                assert known is not None
                number = next(n for n, one in enumerate(known.bodies, 1) if one.id == name)
                return self._off(station, number)[5 if which == "across" else 4]
            case "beam":
                left, right = (self._corner(station, name, f"bottom_{side}") for side in ("left", "right"))
                hx, hy = self.scene.hub(which)  # type: ignore[arg-type]
                return _met(left, right, hx, hy, math.radians(self.scene.heading(which)))  # type: ignore[arg-type]
        other = self._corner(station, what, which)
        return z - other[2] if kind == "rise" else math.dist((x, y, z), other)

    def _spot(self, way: str) -> float:
        """Where the beam comes back from the sensor's mirror: by twice what that is turned against the frame."""
        sensor = self.plan.procedure.sensor
        away = self.leaning.before_beam((sensor.x, sensor.y))
        if way == "distance":
            return away
        yaw, pitch = self.looks
        off = yaw - self.scene.pose.yaw_deg if way == "left" else self.pitch - pitch
        return away * math.tan(math.radians(2 * off))

    def _hub(self, corner: str) -> Space:
        x, y = self.scene.hub(corner)  # type: ignore[arg-type]
        return x, y, self.plan.vehicle.hub_height + self.floor[corner]

    def _slope(self, way: str) -> float:
        """Of the floor as a level shows it, percent: rising forward, rising left."""
        return 100 * math.tan(math.radians(-self.tilt[1] if way == "along" else self.tilt[0]))

    def _of_station(self, station: str) -> Plan:
        found = self.plan.whole.at_stations.get(station)
        if found is None:
            raise BadInput("place", station, said("wants.station_sheet"))
        return found

    def _stand_tape(self, station: str, part: str, control: str) -> float:
        """From a hub or a centre mark to a part of a target on its stand."""
        plan, (forward, left, turn) = self._of_station(station), self.stand
        place = plan.target_place
        there = on_face((place.x + forward, place.y + left), place.facing_deg + turn, points_of(plan)[part])
        marks = self.plan.vehicle.marks
        kind, _, which = control.partition("_")
        if kind == "hub":
            return math.dist(self.scene.hub(which), there)  # type: ignore[arg-type]
        return math.dist((marks.front_x if which == "front" else marks.rear_x, 0.0), there)

    def _height_of(self, what: str) -> float:
        """Of a hub or a beam's end above the floor there."""
        at = self._hub(what) if what in CORNERS else self.leaning.in_space(*self.plan.frame_points[what])
        return at[2] - self.floor[what]

    # --- moving

    def go(self, plan: Plan) -> None:
        """The same bay, where another station of the sheet is at hand."""
        self.plan = plan
        self.scene = replace(self.scene, plan=plan)

    def obey(self, happening: str, by: Mapping[str, float]) -> None:
        """Do what was told, as well as knobs and hands allow."""
        pose, chance = self.scene.pose, self.chance
        if happening == "yaw":
            turns = by["turns"]
            change = self.knobs.yaw_gain * turns
            if self._last_turn and turns * self._last_turn < 0:
                slack = min(self.knobs.yaw_lost_deg, abs(change))
                change -= math.copysign(slack, change)
            self._last_turn = turns
            yaw = pose.yaw_deg + change
            (ax, ay), (bx, by_) = (turned(a, *self.plan.frame.pivot) for a in (pose.yaw_deg, yaw))
            pose = Pose(x=pose.x + ax - bx, y=pose.y + ay - by_, yaw_deg=yaw)
        elif happening == "slide":
            pose = self._pushed(0.0, by["left"] * self.knobs.slide_gain + chance.gauss(0, 0.4), 0.0)
        elif happening == "roll":
            away, left = by.get("away", 0.0), by.get("left", 0.0)
            pose = self._pushed(away + chance.gauss(0, 1.0), left + chance.gauss(0, 0.7), chance.gauss(0, 0.02))
            self.roll += chance.gauss(0, 0.02)
        elif happening == "height":
            self.centre_up += by["turns"] * self.plan.frame.height_per_turn * self.knobs.crank_gain
        elif happening == "shift":
            self.hang += by["hang"] + chance.gauss(0, 0.6)
        elif happening == "stand":
            forward, left, _ = self.stand
            self.stand = (forward + by["forward"] + chance.gauss(0, 1.5), left + by["left"] + chance.gauss(0, 1.5), 0.1)
        elif happening == "tilt":
            tilt = self.plan.station.tilt_deg if self.plan.station is not None else None
            self.notch = (tilt or 0.0) - self.pitch
        elif happening == "together":
            self._move_body(by)
        elif happening == "tripod":
            told = (by.get(name, 0.0) for name in ("forward", "left", "up", "away_deg", "left_deg"))
            self.tripod = [
                was + move + chance.gauss(0, spread)
                for was, move, spread in zip(self.tripod, told, TRIPOD_BY_HAND, strict=True)
            ]
        elif happening in PLUMBED:
            off = {**self.scene.mark_off, PLUMBED[happening]: chance.gauss(0, U_PLUMB_MM)}
            self.scene = replace(self.scene, mark_off=off)
        elif happening == "feet":
            self.roll, self.pitch = chance.gauss(0, 0.04), chance.gauss(0, 0.04)
        self.nudge(pose)

    def _move_body(self, by: Mapping[str, float]) -> None:
        """A body moved as told, about as well as a hand moves it; a mat is smoothed with it."""
        station, chance = self.plan.station, self.chance
        assert station is not None
        number = round(by["which"])
        off, body = self._off(station.id, number), station.bodies[number - 1]
        for k, name in enumerate(("forward", "left", "up", "turned")):
            if name in by:
                off[k] += by[name] + chance.gauss(0, 0.05 if name == "turned" else 1.0)
        off[4:] = [chance.gauss(0, 0.1), chance.gauss(0, 0.1)]
        self.folds.pop(body.id, None)

    def _pushed(self, away: float, left: float, turn: float) -> Pose:
        pose = self.scene.pose
        dx, dy = turned(pose.yaw_deg, away, left)
        return Pose(x=pose.x + dx, y=pose.y + dy, yaw_deg=pose.yaw_deg + turn)

    def nudge(self, pose: Pose) -> None:
        """The frame stands elsewhere, and nobody said so."""
        self.scene = replace(self.scene, pose=pose)

    @property
    def misled(self) -> Misled:
        """What the target makes a sensor believe: a chart by where it stands, a flat board by how it is turned."""
        off, leans = self.off(), self.leaning
        if self.plan.target.aims_by == "orientation":
            return Misled(off["yaw"], leans.pitch_deg, leans.roll_deg)
        reach = self.plan.target_x - self.plan.procedure.sensor.x
        if reach <= 0:
            return Misled()
        yaw, pitch = (math.degrees(math.atan(off[name] / reach)) for name in ("centre", "height"))
        return Misled(yaw, -pitch, leans.roll_deg)

    def _own(self, what: str) -> float:
        """How far the sensor (to the left) or the datum's part (forward) is from where the model has it, if read."""
        sheet = self.plan.procedure
        told = {"sensor": sheet.offset_from == "sensor", "part": sheet.distance_by == "direct"}
        return OWN_MM[what] if told[what] else 0.0

    def target_off(self) -> dict[str, float]:
        """The same of whatever carries the target at the station at hand, as far as it is a frame or a tripod."""
        if self.plan.station is None or self.plan.station.carrier != "tripod":
            return self.off()
        away, left, up, *_ = self.tripod
        return {"yaw": 0.0, "centre": left, "distance": away, "height": up}

    def off(self) -> dict[str, float]:
        """How far the frame truly is from where it must be: yaw (degrees), centre, distance, height (mm)."""
        x, y, z = self.centre
        from_floor = self.plan.procedure.height_from == "floor"
        return {
            "yaw": self.scene.pose.yaw_deg,
            "centre": y - self.plan.aside - self._own("sensor"),
            "distance": x - self.plan.target_x - self._own("part"),
            "height": (self.height if from_floor else z) - self.plan.height,
        }


def _met(left: Space, right: Space, hx: float, hy: float, heading: float) -> float:
    """Where a beam from a hub crosses the edge between two corners, left of their middle."""
    ex, ey = left[0] - right[0], left[1] - right[1]
    wide = math.hypot(ex, ey)
    nx, ny = -math.sin(heading), math.cos(heading)
    mx, my = (left[0] + right[0]) / 2, (left[1] + right[1]) / 2
    across = (ex * nx + ey * ny) / wide
    return ((hx - mx) * nx + (hy - my) * ny) / across
