"""Everything that was read on a visit in one solution, in space: ``StateInput`` in, ``solve`` for its ``Solution``."""

from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.result import StateResult, state
from escuadra.core.geodesy.state.solution import Solution, solve

__all__ = ["Solution", "StateInput", "StateResult", "solve", "state"]
