"""Tyre pressure brought to the temperature at which it is specified.

Source: Gay-Lussac's law at constant volume, absolute pressure proportional to absolute temperature. The sheet gives
the pressure of a cold tyre at 20 °C; a tyre that was driven is warmer and stands higher.
"""

import math

from escuadra.core.errors import BadInput

ATMOSPHERE_KPA = 101.325
ZERO_C = 273.15
REFERENCE_C = 20.0


def cold_pressure(kpa: float, u: float, tyre_c: float, u_c: float) -> tuple[float, float]:
    """Gauge pressure (kPa) at 20 °C of a tyre read at ``tyre_c``, and its u; raises ``BadInput`` below −60 °C."""
    if tyre_c < -60:
        raise BadInput("temperature", tyre_c, "the tyre's temperature, −60 °C or more")
    factor = (REFERENCE_C + ZERO_C) / (tyre_c + ZERO_C)
    absolute = (kpa + ATMOSPHERE_KPA) * factor
    return absolute - ATMOSPHERE_KPA, math.hypot(factor * u, absolute / (tyre_c + ZERO_C) * u_c)
