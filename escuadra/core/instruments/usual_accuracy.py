"""What an instrument of a kind is usually worth: offered where a data sheet is not at hand, never taken in silence.

Our own defaults, each a little coarser than the data sheets of its kind that are common in garages, so that a verdict
errs towards "undecided"; whoever has the instrument's own data sheet types that instead. In the unit of the kind.
"""

from escuadra.core.base.said import FIGURE_OF, Plain, PlusMinus, Said, exact, said
from escuadra.core.instruments.instrument import ToolKind
from escuadra.core.measure.readings import Instrument


def _usual(resolution: float, accuracy: float, ppm: float, repeatability: float) -> Instrument:
    return Instrument(resolution=resolution, accuracy_constant=accuracy, accuracy_ppm=ppm, repeatability=repeatability)


USUAL: dict[ToolKind, tuple[str, Instrument]] = {
    "steel_tape": ("mm", _usual(1, 0.6, 100, 0.5)),  # class II: 0.3 mm + 0.2 mm/m, its end worn
    "glass_tape": ("mm", _usual(1, 2, 500, 1)),  # it stretches with the pull
    "rule": ("mm", _usual(0.5, 0.4, 100, 0.3)),
    "distance_meter": ("mm", _usual(1, 2, 20, 0.7)),  # ± 2 mm is the common class
    "digital_level": ("°", _usual(0.05, 0.1, 0, 0.03)),
    "spirit_level": ("°", _usual(0.05, 0.1, 0, 0.06)),  # 1 mm/m, half a division read
    "line_laser": ("mm", _usual(1, 1, 300, 0.7)),  # ± 3 mm at 10 m, the line's width
    "crossed_laser": ("mm", _usual(1, 1, 300, 0.7)),
    "rotating_laser": ("mm", _usual(1, 1, 100, 0.6)),  # ± 1 mm at 10 m
    "plumb_line": ("mm", _usual(1, 1, 0, 0.7)),
    "wheel_clamps": ("mm", _usual(0.5, 1.5, 0, 0.5)),  # run-out of the rim's seat
    "frame": ("mm", _usual(1, 0.7, 0, 0.4)),
    "reflector": ("mm", _usual(1, 1, 0, 0.5)),
    "camera_rig": ("mm", _usual(0.1, 0.8, 100, 0.3)),
    "tyre_gauge": ("kPa", _usual(5, 10, 0, 3)),  # class 1.6 on a 1,000 kPa scale, rounded down
    "tread_gauge": ("mm", _usual(0.1, 0.2, 0, 0.1)),
    "voltmeter": ("V", _usual(0.01, 0.1, 5000, 0.02)),  # 0.5 % and a digit
    "thermometer": ("°C", _usual(0.5, 2, 0, 0.5)),  # infrared, an emissivity assumed
    "gauge": ("%", _usual(6, 6, 0, 2)),  # a dial of sixteenths
    "scales": ("kg", _usual(0.5, 0.5, 1000, 0.2)),
    "tester": ("°", _usual(0.01, 0.02, 0, 0.01)),
    "printout": ("°", _usual(0.01, 0.02, 0, 0.01)),
}


def told(kind: ToolKind) -> Said:
    """The usual figures of a kind."""
    unit, found = USUAL[kind]
    step, half = exact(FIGURE_OF[unit], found.resolution), exact(FIGURE_OF[unit], found.accuracy_constant)
    if not found.accuracy_ppm:
        return said("usual.constant", step=step, half=PlusMinus(half))
    return said("usual.growing", step=step, half=PlusMinus(half), ppm=exact(Plain, found.accuracy_ppm))
