"""The corners of a vehicle, named from the driver's seat, and which of them are on one axle and on one side."""

from collections.abc import Mapping
from typing import Literal

Corner = Literal["LF", "RF", "LR", "RR"]
Pair = tuple[Corner, Corner]
CORNERS: tuple[Corner, ...] = ("LF", "RF", "LR", "RR")
FRONT: Pair = ("LF", "RF")
REAR: Pair = ("LR", "RR")
LEFT: Pair = ("LF", "LR")
RIGHT: Pair = ("RF", "RR")
BY_AXLE: Mapping[str, Pair] = {"front": FRONT, "rear": REAR}
BY_SIDE: Mapping[str, Pair] = {"left": LEFT, "right": RIGHT}


def aside(corner: str) -> float:
    """The sign of its y: 1 on the left, -1 on the right; of a wheel by any name that begins as theirs."""
    return 1.0 if corner.startswith("L") else -1.0
