"""The register of calculations: a function from a frozen input to a frozen result, known by its name."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar, get_type_hints

from escuadra.core.base.model import Frozen

F = TypeVar("F", bound=Callable[[Any], Frozen])
CALCULATIONS: dict[str, "Calculation"] = {}


@dataclass(frozen=True)
class Calculation:
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


def calculation(name: str) -> Callable[[F], F]:
    """Register a function by a name; its input and its result are those that it declares."""

    def registered(function: F) -> F:
        assert name not in CALCULATIONS, name
        hints = get_type_hints(function)
        result = hints.pop("return")
        (given,) = hints.values()
        CALCULATIONS[name] = Calculation(name, given, result, function)
        return function

    return registered
