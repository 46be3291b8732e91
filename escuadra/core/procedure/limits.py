"""What a sheet allows of a figure."""

from pydantic import Field

from escuadra.core.base.model import Frozen, NotNegative, Number


class Limits(Frozen):
    """Allowed from nominal − minus to nominal + plus."""

    nominal: Number = 0.0
    minus: NotNegative = Field(title="Allowed below")
    plus: NotNegative = Field(title="Allowed above")
    closest: bool = Field(False, description="as close to nominal as can be told, and in any case within these")

    @property
    def lower(self) -> float:
        """Lower limit."""
        return self.nominal - self.minus

    @property
    def upper(self) -> float:
        """Upper limit."""
        return self.nominal + self.plus
