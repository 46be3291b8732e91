"""Tyre pressure brought to the temperature at which it is specified.

Source: Gay-Lussac's law at constant volume, absolute pressure proportional to absolute temperature. The sheet gives
the pressure of a cold tyre at 20 °C; a tyre that was driven is warmer and stands higher.
"""

import math

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said

ATMOSPHERE_KPA = 101.325
ZERO_C = 273.15
REFERENCE_C = 20.0


def pressure_slopes(kpa: float, tyre_c: float) -> tuple[float, float]:
    """How the cold pressure follows the read one, and how much it falls for each degree that the tyre is warmer."""
    kelvin = tyre_c + ZERO_C
    factor = (REFERENCE_C + ZERO_C) / kelvin
    return factor, (kpa + ATMOSPHERE_KPA) * factor / kelvin


def cold_pressure(kpa: float, u: float, tyre_c: float, u_c: float) -> tuple[float, float]:
    """Gauge pressure (kPa) at 20 °C of a tyre read at ``tyre_c``, and its u; raises ``BadInput`` below −60 °C."""
    if tyre_c < -60:
        raise BadInput("temperature", tyre_c, said("wants.tyres_temperature_60_c_or"))
    factor, by_heat = pressure_slopes(kpa, tyre_c)
    return (kpa + ATMOSPHERE_KPA) * factor - ATMOSPHERE_KPA, math.hypot(factor * u, by_heat * u_c)
