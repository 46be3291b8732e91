"""Stand-ins for a distance meter, a digital level and a camera rig, in a process of their own on loopback.

Line protocol: one JSON object a line, UTF-8, answered by one JSON object a line.

``{"ask": "prepare", "bay", "procedure", "frame", "floor", "tilt"}``: a virtual bay is there from now on; asked again it
stays, on the floor that is told (mm above the tyres' plane by place, and how that lies to gravity: roll, pitch).
``{"ask": "read", "bay", "device", "place"}`` is answered by ``{"value", "unit", "device", "serial", "battery"}``; place
is what the device is held to, the name of a slot. ``{"ask": "look", "bay"}``: the bay's true state.
``{"ask": "rig", "bay"}``: everything that the rig sees, ``{"readings", "steady", "device", "serial"}``.
``{"ask": "push", "bay", "away", "left", "turn"}``: the frame pushed exactly so, mm and degrees in its own axes.
``{"ask": "set", "bay"}`` with any of ``away``, ``left`` (mm off the goal), ``yaw``, ``roll``, ``pitch`` (degrees),
``height`` (mm), ``blunder`` {place: mm or degrees}, ``lost`` [device], ``battery`` {device: percent}. A refusal is
answered by ``{"error"}``. ``{"ask": "obey", "bay", "what", "by"}``: the frame is moved as told, as well as knobs and
hands allow; what ``by`` says in figures, as the log's events have it.

``{"ask": "car", "bay", "vin", "units", "waiting"}``: a vehicle is on the diagnostic socket from now on; asked again it
stays. ``scan``, ``key`` {``on``}, ``clear`` {``units``} and ``routine`` {``unit``} are answered by ``{"vin", "voltage",
"key", "units": [{"unit", "answered", "codes": [{"code", "state"}]}]}``; ``set_car`` sets ``voltage`` and ``lost``.
``sensor`` {``unit``, ``by``, ``limits`` {figure: [lower, upper]}, ``screws``, ``travel``, ``step``, ``turned``
[{screw: turns}]}: what the unit has behind it. ``results`` {``unit``}: what its routine said, ``{"outcome", "figures",
"turns", "lines"}``; ``respond`` {``unit``, ``tilt``}: a radar's ``{"response"}`` to its board, dB; ``turn`` {``unit``,
``turns``}: its screws turned. ``drive`` {``road``, ``after``}: what it recorded after a moment of the drive that it is
on, ``{"samples": [[t, latitude, longitude, km/h, degrees]]}``, at most 200. What a sensor sees is the target as it
stands in the bay of the same name; without one it stands where it should.
"""

import asyncio
import json
import math
import time
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.said import Angle, Length, Plain, as_data, exact, nouns, said
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.devices.camera_rig import FARTHEST_MM, STEADY_MS, WIDEST_DEG
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.devices.virtual_sensors import Misled
from escuadra.devices.virtual_vehicle import VirtualVehicle

UNITS = {"meter-1": "mm", "level-1": "°", "rig-1": "mm"}
"""The stand-ins, by the name that the register has for them, and what they send."""
STEP = {"mm": 0.1, "°": 0.01}
NOISE = {"meter-1": 0.35, "level-1": 0.008, "rig-1": 0.15}
LOW_BATTERY = 10
STEADY_S = STEADY_MS / 1000
START = (37.0, -24.0, 1.3, 15.0)
LONGEST_LINE = 20_000
OF_CAR = ("scan", "key", "clear", "routine", "results", "respond", "turn", "set_car", "drive")
"""What is asked of the vehicle on the diagnostic socket."""


@dataclass
class Watched:
    """A virtual bay with what is wrong with its devices."""

    bay: VirtualBay
    blunder: dict[str, float] = field(default_factory=dict)
    lost: set[str] = field(default_factory=set)
    battery: dict[str, float] = field(default_factory=dict)
    moved: float = 0.0
    """When the frame was pushed last, on a clock that only runs forward, seconds."""

    def push(self, away: float, left: float, turn: float) -> None:
        """Push the frame, in its own axes; raises ``BadInput`` for more than a hand can do at once."""
        if (
            not all(map(math.isfinite, (away, left, turn)))
            or math.hypot(away, left) > FARTHEST_MM
            or abs(turn) > WIDEST_DEG
        ):
            raise BadInput(
                "push",
                said(
                    "devices.stand_in.text", away=exact(Plain, away), left=exact(Length, left), turn=exact(Angle, turn)
                ),
                said("wants.most_2", farthest_mm=exact(Length, FARTHEST_MM), widest_deg=exact(Angle, WIDEST_DEG)),
            )
        pose = self.bay.scene.pose
        dx, dy = turned(pose.yaw_deg, away, left)
        self.bay.nudge(Pose(x=pose.x + dx, y=pose.y + dy, yaw_deg=pose.yaw_deg + turn))
        self.moved = time.monotonic()


class StandIn:
    """All bays and devices of the process. ``plan_of``: procedure and frame by their names."""

    def __init__(self, plan_of: Callable[[str, str], Plan]) -> None:
        self.plan_of = plan_of
        self.bays: dict[str, Watched] = {}
        self.cars: dict[str, VirtualVehicle] = {}

    def answer(self, line: str) -> dict[str, Any]:
        """The answer to one line; never raises for what was asked wrongly."""
        try:
            asked = json.loads(line)
            if not isinstance(asked, dict):
                raise BadInput("line", line[:40], said("wants.one_json_object"))
            return self._answer(asked)
        except BadInput as refused:
            return {"error": as_data(refusal(refused))}
        except (ValueError, TypeError, KeyError) as refused:
            return {"error": as_data(said("devices.stand_in.not_understood", why=str(refused)[:200]))}

    def _answer(self, asked: dict[str, Any]) -> dict[str, Any]:
        name, what = str(asked.get("bay", "")), asked.get("ask")
        if what == "prepare":
            if name not in self.bays:
                plan = self.plan_of(str(asked.get("procedure")), str(asked.get("frame")))
                self.bays[name] = Watched(VirtualBay(plan, START, zlib.crc32(name.encode())))
            self.bays[name].bay.lay(asked.get("floor") or {}, asked.get("tilt") or ())
            return {"bay": name}
        if what == "car":
            units = [str(unit) for unit in asked.get("units", [])]
            waiting = {str(unit) for unit in asked.get("waiting", [])}
            self.cars.setdefault(name, VirtualVehicle(str(asked.get("vin", "")), units, waiting))
            return {"bay": name}
        if what in (*OF_CAR, "sensor"):
            if name not in self.cars:
                raise BadInput("bay", name, said("wants.car_prepared"))
            if what != "sensor":
                watched = self.bays.get(name)
                return self.cars[name].answer(asked, watched.bay.misled if watched is not None else Misled())
            self.cars[name].fit(str(asked.get("unit")), asked)
            return {"unit": asked.get("unit")}
        watched = self.bays.get(name)
        if watched is None:
            raise BadInput("bay", name, said("wants.bay_prepared"))
        if what == "read":
            return self._read(watched, str(asked.get("device")), str(asked.get("place")))
        if what == "set":
            self._set(watched, asked)
        elif what == "rig":
            return self._rig(watched)
        elif what == "push":
            watched.push(*(float(asked.get(key, 0.0)) for key in ("away", "left", "turn")))
        elif what == "obey":
            by = {str(k): float(v) for k, v in dict(asked.get("by", {})).items()}
            watched.bay.obey(str(asked.get("what")), by)
        elif what != "look":
            raise BadInput("ask", what, said("wants.prepare_read_rig_look_set"))
        return self._look(watched)

    def _read(self, watched: Watched, device: str, place: str) -> dict[str, Any]:
        if device not in UNITS:
            raise BadInput("device", device, said("wants.one", names=nouns(UNITS, "comma")))
        battery = watched.battery.get(device, 84.0)
        if device in watched.lost or battery <= 0:
            raise BadInput("device", device, said("wants.device_answers_look_battery_distance"))
        unit = UNITS[device]
        true = watched.bay.at(place) + watched.blunder.get(place, 0.0)
        seen = true + watched.bay.chance.gauss(0, NOISE[device])
        value = round(seen / STEP[unit]) * STEP[unit]
        serial = f"stand-in {device}"
        return {"value": round(value, 3), "unit": unit, "device": device, "serial": serial, "battery": battery}

    def _rig(self, watched: Watched) -> dict[str, Any]:
        if "rig-1" in watched.lost or watched.battery.get("rig-1", 84.0) <= 0:
            raise BadInput("device", "rig-1", said("wants.rig_answers_look_cable_battery"))
        steady = time.monotonic() - watched.moved >= STEADY_S
        spread = NOISE["rig-1"] * (1 if steady else 4)
        exact = METHODS["rig"].exact(watched.bay.leaning)
        noise = watched.bay.chance.gauss
        seen = {
            slot: round(value + watched.blunder.get(slot, 0.0) + noise(0, spread), 2) for slot, value in exact.items()
        }
        return {"readings": seen, "steady": steady, "device": "rig-1", "serial": "stand-in rig-1"}

    def _look(self, watched: Watched) -> dict[str, Any]:
        bay = watched.bay
        return {
            **{k: round(v, 3) for k, v in bay.off().items()},
            "roll": round(bay.roll, 3),
            "pitch": round(bay.pitch, 3),
            "blunder": watched.blunder,
            "lost": sorted(watched.lost),
            "battery": watched.battery,
        }

    def _set(self, watched: Watched, asked: dict[str, Any]) -> None:
        bay = watched.bay
        figures = {key: float(asked[key]) for key in ("away", "left", "yaw", "roll", "pitch", "height") if key in asked}
        if not all(math.isfinite(v) and abs(v) < 10_000 for v in figures.values()):
            raise BadInput("set", str(figures), said("wants.finite_figures_below_10_000"))
        off = bay.off()
        yaw = figures.get("yaw", bay.scene.pose.yaw_deg)
        away, left = figures.get("away", off["distance"]), figures.get("left", off["centre"])
        bay.roll, bay.pitch = figures.get("roll", bay.roll), figures.get("pitch", bay.pitch)
        bay.nudge(Pose(x=bay.scene.pose.x, y=bay.scene.pose.y, yaw_deg=yaw))
        if "height" in figures:
            bay.height += figures["height"] - bay.off()["height"]
        there = bay.off()
        x, y = bay.scene.pose.x + away - there["distance"], bay.scene.pose.y + left - there["centre"]
        bay.nudge(Pose(x=x, y=y, yaw_deg=yaw))
        if "blunder" in asked:
            watched.blunder = {str(k): float(v) for k, v in dict(asked["blunder"]).items()}
        if "lost" in asked:
            watched.lost = {str(device) for device in asked["lost"]}
        if "battery" in asked:
            watched.battery = {str(k): float(v) for k, v in dict(asked["battery"]).items()}


async def serve(stand_in: StandIn, host: str, port: int) -> None:
    """Answer line by line until the process ends."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while line := await reader.readline():
                writer.write((json.dumps(stand_in.answer(line.decode("utf-8", "replace"))) + "\n").encode())
                await writer.drain()
        except (ConnectionError, ValueError):
            pass
        finally:
            writer.close()

    server = await asyncio.start_server(talk, host, port, limit=LONGEST_LINE)
    async with server:
        await server.serve_forever()
