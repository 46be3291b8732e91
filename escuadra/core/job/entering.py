"""A network in the making: what each method enters, as the reading types that it really is.

Readings of one instrument share its offset and scale; what has no instrument in ``network`` carries its whole u.
"""

from collections.abc import Callable, Sequence
from typing import Any

from escuadra.core.job.places import Plan
from escuadra.core.job.slots import Measured, Slot, measured, measured_by_tool
from escuadra.core.job.state import Entry
from escuadra.core.observations import FRAME_TYPES, THRUST_TYPES

U_STATION_MM = 5.0
"""How well a mark's place along the vehicle is known; it hardly matters sideways."""
LEAST_U = 1e-3


class Entering:
    """Points, observations and shared errors of one network.

    ``entries``: a slot's readings that count; ``answered``: what was answered there; ``pairs``: how many at an end.
    ``framed``: the frame is part of it; without one, what hangs on the frame is left out.
    """

    def __init__(
        self,
        plan: Plan,
        entries: Callable[[Slot], Sequence[Entry]],
        answered: Callable[[Slot], str],
        pairs: Callable[[str], int],
        framed: bool,
    ) -> None:
        self.plan, self.entries, self.answered, self.pairs, self.framed = plan, entries, answered, pairs, framed
        self.points: dict[str, dict[str, Any]] = {}
        self.frame_points: dict[str, tuple[float, float]] = dict(plan.frame_points)
        self.observations: list[dict[str, Any]] = []
        self.instruments: dict[str, dict[str, float]] = {}
        self.heading = 0.0
        """First guess of the thrust line's direction, degrees."""

    def read(self, slot: Slot) -> list[Measured]:
        """What a slot's readings amount to, one value a tool."""
        return measured_by_tool(self.entries(slot))

    def one(self, slot: Slot) -> Measured | None:
        """A slot's value, of all its tools together."""
        return measured(self.entries(slot))

    def all(self, *slots: Slot) -> list[Measured] | None:
        """The values of all slots, or nothing where one is missing."""
        found = [m for slot in slots if (m := self.one(slot)) is not None]
        return found if len(found) == len(slots) else None

    def known(self, point: str, name: str, at: tuple[float, float], u_x: float, u_y: float) -> None:
        """A point whose place is known that well."""
        x, y = at
        self.points[point] = {"x": x, "y": y, "fixed": False}
        self.put(id=f"{name}.x", type="x", point=point, value=x, u=u_x)
        self.put(id=f"{name}.y", type="y", point=point, value=y, u=u_y)

    def put(self, **observation: Any) -> None:
        """An observation as ``network`` takes it; what needs a frame is left out where there is none."""
        if self.framed or observation["type"] not in FRAME_TYPES:
            self.observations.append({**observation, "u": max(observation["u"], LEAST_U)})

    def reading(self, slot: Slot, part: Measured, value: float | None = None, **more: Any) -> None:
        """A slot's reading by one tool, with what that tool's readings share; ``value`` where it is not the slot's."""
        figures = part.figures
        self.instruments.setdefault(part.tool, {"u_offset": figures.u_offset, "u_scale": figures.u_scale})
        self.put(
            id=f"{slot.id}~{part.tool}~{part.seq}",
            instrument=part.tool,
            value=part.value if value is None else value,
            u=figures.u_random,
            **more,
        )

    def worked_out(self, id: str, kind: str, value: float, u: float, **more: Any) -> None:
        """A value that follows from several readings, with its whole u."""
        self.put(id=id, type=kind, value=value, u=u, **more)

    @property
    def sees_thrust(self) -> bool:
        """Something that was entered tells or needs the thrust line."""
        return any(o["type"] in THRUST_TYPES for o in self.observations)

    def network(self, goal: tuple[float, float, float]) -> dict[str, Any]:
        """The network as plain data; ``goal``: first guess of the frame's x, y and yaw in degrees."""
        given: dict[str, Any] = {"points": self.points, "observations": self.observations}
        used = {o.get("instrument") for o in self.observations}
        given["instruments"] = {tool: shared for tool, shared in self.instruments.items() if tool in used}
        if self.framed:
            x, y, yaw = goal
            given["frame"] = {"x": x, "y": y, "yaw_deg": yaw, "points": self.frame_points}
        if self.sees_thrust:
            given["thrust"] = {"angle_deg": self.heading}
        return given
