"""The calculations by their names: one definition for Python, the command line and HTTP."""

import math
from importlib import import_module
from pkgutil import walk_packages
from typing import Any

import numpy as np

from escuadra.core.base.calculation import CALCULATIONS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import leaves, most_extreme, plain_data
from escuadra.core.base.said import nouns, said

_HERE = "escuadra.core."

# Whatever lies below a visit may register a calculation: nothing has a list of them.
for _found in walk_packages(import_module(_HERE[:-1]).__path__, _HERE):
    if _found.name != __name__ and not f"{_found.name}.".startswith(f"{_HERE}visit."):
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
