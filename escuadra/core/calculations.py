"""The calculations by their names: one definition for Python, the command line and HTTP."""

import math
from importlib import import_module
from pkgutil import iter_modules, walk_packages
from typing import Any

import numpy as np

from escuadra import core
from escuadra.core.base.calculation import CALCULATIONS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import leaves, most_extreme, plain_data
from escuadra.core.base.said import nouns, said

# Whatever lies below a visit may register a calculation: nothing has a list of them, and no visit is loaded for them.
for _room in iter_modules(core.__path__, "escuadra.core."):
    if _room.ispkg and _room.name not in ("escuadra.core.visit", "escuadra.core.authoring"):
        for _found in walk_packages(import_module(_room.name).__path__, f"{_room.name}."):
            import_module(_found.name)

KINDS = dict(sorted(CALCULATIONS.items()))


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
