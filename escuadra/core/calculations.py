"""The calculations by their names: one definition for Python, the command line and HTTP."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import leaves, most_extreme, plain_data
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import nouns, said
from escuadra.core.bay import floor
from escuadra.core.geodesy import design, levelling, network, observations, stakeout, state
from escuadra.core.instruments import self_checks as instruments
from escuadra.core.measure import aim, readings, symmetry, verdict
from escuadra.core.procedure import feet, moves
from escuadra.core.road import drive
from escuadra.core.run import radar
from escuadra.core.vehicle import lines, stance, strings, vin


@dataclass(frozen=True)
class Kind:
    """A calculation: its input model (with ``read``), its result model and its function."""

    name: str
    given: Any
    result: type[Frozen]
    function: Callable[[Any], Frozen]

    @property
    def purpose(self) -> str:
        """First line of what the function is for."""
        first = (self.function.__doc__ or "").strip().splitlines()[0]
        return first.split("Raises")[0].replace("``", "").rstrip(".") + "."


KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Kind("reading", readings.ReadingInput, readings.ReadingResult, readings.reading),
        Kind("verdict", verdict.VerdictInput, verdict.VerdictResult, verdict.verdict),
        Kind("stance", stance.StanceInput, stance.StanceResult, stance.stance),
        Kind("symmetry", symmetry.SymmetryInput, symmetry.SymmetryResult, symmetry.symmetry),
        Kind("lines", lines.LinesInput, lines.LinesResult, lines.lines),
        Kind("network", observations.NetworkInput, network.NetworkResult, network.network),
        Kind("design", design.DesignInput, design.DesignResult, design.design),
        Kind("next", design.NextInput, design.NextResult, design.next_reading),
        Kind("part", design.PartInput, design.PartResult, design.part),
        Kind("state", state.StateInput, state.StateResult, state.state),
        Kind("moves", moves.MovesInput, moves.MovesResult, moves.moves),
        Kind("aim", aim.AimInput, aim.AimResult, aim.aim),
        Kind("floor", floor.FloorInput, floor.FloorResult, floor.floor),
        Kind("levelling", levelling.LevellingInput, levelling.LevellingResult, levelling.levelling),
        Kind("strings", strings.StringsInput, strings.StringsResult, strings.strings),
        Kind("feet", feet.FeetInput, feet.FeetResult, feet.feet),
        Kind("stakeout", stakeout.StakeoutInput, stakeout.StakeoutResult, stakeout.stakeout),
        Kind("reflection", radar.ReflectionInput, radar.ReflectionResult, radar.reflection),
        Kind("screws", radar.ScrewsInput, radar.ScrewsResult, radar.screws),
        Kind("tilt", radar.TiltInput, radar.TiltResult, radar.tilt),
        Kind("check", instruments.CheckInput, instruments.CheckResult, instruments.check),
        Kind("drift", instruments.DriftInput, instruments.DriftResult, instruments.drift),
        Kind("drive", drive.DriveInput, drive.DriveResult, drive.drive),
        Kind("vin", vin.VinInput, vin.VinResult, vin.vin),
    )
}


def compute(name: str, data: Any) -> dict[str, Any]:
    """Compute a kind from plain data; raises ``BadInput``. Returns plain data with the keys that apply."""
    kind = KINDS.get(name)
    if kind is None:
        raise BadInput("kind", name, said("wants.one", names=nouns(KINDS, "comma")))
    if not isinstance(data, dict):
        raise BadInput("input", data, said("wants.one_json_object"))
    given = kind.given.read(plain_data(data))
    try:
        with np.errstate(all="ignore"):
            result = kind.function(given).plain()
    except BadInput:
        raise
    except (ArithmeticError, ValueError, np.linalg.LinAlgError) as error:
        raise _beyond_figures(data) from error
    if any(isinstance(leaf, float) and not math.isfinite(leaf) for _, leaf in leaves(result)):
        raise _beyond_figures(data)
    return result


def _beyond_figures(data: Any) -> BadInput:
    """Figures so far apart that nothing can be computed with them: the furthest is to blame."""
    field, value = most_extreme(data)
    return BadInput(field, value, said("wants.figures_size_can_computed_together"))
