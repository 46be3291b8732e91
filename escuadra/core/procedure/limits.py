"""What a sheet allows of a figure."""

from escuadra.core.base.model import Frozen, NotNegative, Number


class Limits(Frozen):
    """Allowed from nominal − minus to nominal + plus."""

    nominal: Number = 0.0
    minus: NotNegative
    plus: NotNegative

    @property
    def lower(self) -> float:
        """Lower limit."""
        return self.nominal - self.minus

    @property
    def upper(self) -> float:
        """Upper limit."""
        return self.nominal + self.plus
