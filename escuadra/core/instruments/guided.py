"""The self-checks of the trade: for which instruments, what is needed, what to do and read, and what is allowed.

Source: the trade's own checks (end for end, two pegs, three points, a known length, a square corner by its diagonal,
upright beside a plumb line, along a straight edge, clamp run-out, a frame's zero mark and straightness).
"""

from escuadra.core.base.cautions import LASER
from escuadra.core.base.quantities import Dimension
from escuadra.core.base.said import Said, said
from escuadra.core.base.wording import BEAM
from escuadra.core.instruments.check_figures import SelfCheck, Step
from escuadra.core.instruments.instrument import Tool

STEEL_TAPE_U = 0.4
"""Of one length on a good steel tape or rule, mm."""


def _level(field: str, say: Said) -> Step:
    return Step(
        field=field, say=say, label=said("guided.shows"), dimension="angle", low=-5, high=5, way="level_end", times=1
    )


def _staff(field: str, say: Said, label: Said) -> Step:
    return Step(field=field, say=say, label=label, low=50, high=5000)


def _way(field: str, say: Said, label: Said, low: float = 100, u: float | None = 5.0) -> Step:
    """A distance: with any tape where ``u`` is 5 mm, measured well where it is less, else by the instrument itself."""
    return Step(field=field, say=say, label=label, low=low, high=60_000, u=u)


def _beam(field: str, say: Said, label: Said) -> Step:
    return Step(field=field, say=say, label=label, low=0, high=3000, times=2)


def _against(what: Said, dimension: Dimension, low: float, high: float, u: float) -> tuple[Step, ...]:
    return (
        Step(
            field="length",
            say=said("guided.take_type_certificate_says", what=what),
            label=said("guided.reference"),
            dimension=dimension,
            low=low,
            high=high,
            u=u,
        ),
        Step(
            field="readings",
            say=said("guided.read_three_times_instrument_set"),
            label=said("guided.instrument_reads"),
            dimension=dimension,
            low=low,
            high=high,
            times=3,
            near="length",
        ),
    )


CHECKS: dict[str, SelfCheck] = {
    c.id: c
    for c in (
        SelfCheck(
            id="end_for_end",
            kinds=frozenset({"digital_level", "spirit_level"}),
            test="level_reversal",
            figure="bias",
            unit="°",
            applies="constant",
            need=said("guided.firm_flat_surface_pencil_mark"),
            steps=(
                _level("first", said("guided.set_level_marks_let_settle")),
                _level("second", said("guided.turn_end_end_onto_same")),
            ),
            put_right=said("guided.set_zero_handbook_says"),
        ),
        SelfCheck(
            id="two_peg",
            kinds=frozenset({"rotating_laser"}),
            test="two_peg",
            figure="per_10_m",
            unit=BEAM,
            limit=3.0,
            applies="angle",
            need=said("guided.two_firm_points_b_about"),
            steps=(
                _staff("mid_a", said("guided.set_up_midway_between_b"), said("guided.staff")),
                _staff("mid_b", said("guided.leave_instrument_hold_staff_b"), said("guided.staff_b")),
                _way("off_to_a", said("guided.carry_instrument_close_one_point"), said("guided.distance"), low=200),
                _way("off_to_b", said("guided.tape_instrument_b"), said("guided.distance_b"), low=200),
                _staff("off_a", said("guided.hold_staff_again"), said("guided.staff")),
                _staff("off_b", said("guided.hold_staff_b_again"), said("guided.staff_b")),
            ),
            cautions=(LASER,),
            put_right=said("guided.set_level_handbook_says"),
        ),
        SelfCheck(
            id="three_point",
            kinds=frozenset({"distance_meter"}),
            test="three_point",
            figure="zero_error",
            applies="constant",
            need=said("guided.three_marks_b_c_one"),
            steps=(
                _way("ab", said("guided.measure_b"), said("guided.b"), u=None),
                _way("bc", said("guided.measure_b_c"), said("guided.b_c"), u=None),
                _way("ac", said("guided.measure_c_one_go"), said("guided.c"), u=None),
            ),
            cautions=(LASER,),
        ),
        SelfCheck(
            id="reference",
            kinds=frozenset({"steel_tape", "glass_tape", "rule", "distance_meter", "camera_rig"}),
            test="reference",
            figure="bias",
            applies="constant",
            need=said("guided.reference_length_certificate_near_lengths"),
            steps=(
                *_against(said("guided.reference_length"), "length", 200, 60_000, 0.1),
                Step(
                    field="temperature",
                    say=said("guided.read_tapes_temperature_if_not"),
                    label=said("guided.tape_c"),
                    dimension=None,
                    low=-30,
                    high=60,
                    u=1.0,
                    optional=True,
                ),
            ),
        ),
        SelfCheck(
            id="known_pressure",
            kinds=frozenset({"tyre_gauge"}),
            test="reference",
            figure="bias",
            unit="kPa",
            applies="constant",
            need=said("guided.gauge_certificate_same_valve"),
            steps=_against(said("guided.reference_gauge_same_valve"), "pressure", 50, 900, 1.5),
        ),
        SelfCheck(
            id="known_voltage",
            kinds=frozenset({"voltmeter"}),
            test="reference",
            figure="bias",
            unit="V",
            applies="constant",
            need=said("guided.voltmeter_certificate_same_terminals"),
            steps=_against(said("guided.reference_meter_same_terminals"), "voltage", 1, 60, 0.01),
            cautions=(said("guided.high_voltage_work_follows_own"),),
        ),
        SelfCheck(
            id="square_corner",
            kinds=frozenset({"crossed_laser"}),
            test="square",
            figure="error_deg",
            unit=BEAM,
            limit=4.0,
            need=said("guided.floor_room_two_arms_about"),
            steps=(
                _way(
                    "a",
                    said("guided.mark_crossing_end_one_line"),
                    said("guided.first_arm"),
                    low=500,
                    u=STEEL_TAPE_U,
                ),
                _way(
                    "b", said("guided.mark_end_other_line_measure"), said("guided.second_arm"), low=500, u=STEEL_TAPE_U
                ),
                _way(
                    "diagonal",
                    said("guided.measure_between_two_ends"),
                    said("guided.diagonal"),
                    low=500,
                    u=STEEL_TAPE_U,
                ),
            ),
            cautions=(LASER,),
        ),
        SelfCheck(
            id="plumb",
            kinds=frozenset({"line_laser", "crossed_laser"}),
            test="plumb",
            figure="tilt_deg",
            unit=BEAM,
            limit=7.0,
            applies="angle",
            need=said("guided.plumb_line_rest_least_2"),
            steps=(
                _way("height", said("guided.hang_plumb_line_near_beam"), said("guided.height")),
                Step(
                    field="bottom",
                    say=said("guided.lower_place_read_line_beam"),
                    label=said("guided.bottom"),
                    low=-300,
                    high=300,
                    way="beam_side",
                    times=3,
                ),
                Step(
                    field="top",
                    say=said("guided.upper_place_read_line_beam"),
                    label=said("guided.top"),
                    low=-300,
                    high=300,
                    way="beam_side",
                    times=3,
                ),
            ),
            cautions=(LASER,),
        ),
        SelfCheck(
            id="parallel",
            kinds=frozenset({"line_laser", "crossed_laser"}),
            test="parallel",
            figure="angle_deg",
            unit=BEAM,
            limit=3.0,
            need=said("guided.straight_edge_some_metres_long"),
            steps=(
                _way("near_station", said("guided.choose_place_near_laser_how"), said("guided.near_place"), low=0),
                _beam("near", said("guided.read_edge_beam_there"), said("guided.beam_edge_near")),
                _way("far_station", said("guided.choose_place_near_edges_far"), said("guided.far_place"), low=500),
                _beam("far", said("guided.read_edge_beam_there"), said("guided.beam_edge_far")),
            ),
            cautions=(LASER,),
            put_right=said("guided.set_beam_until_far_reading"),
        ),
        SelfCheck(
            id="runout",
            kinds=frozenset({"wheel_clamps"}),
            test="runout",
            figure="runout",
            unit="own",
            applies="constant",
            need=said("guided.clamp_wheel_safety_strap_room"),
            steps=(
                Step(
                    field="first",
                    say=said("guided.read_clamp_stands"),
                    label=said("guided.before"),
                    low=-60,
                    high=60,
                    way="toe",
                ),
                Step(
                    field="second",
                    say=said("guided.leave_clamp_untouched_roll_wheel"),
                    label=said("guided.after_half_turn"),
                    low=-60,
                    high=60,
                    way="toe",
                ),
            ),
            cautions=(said("guided.clamp_safety_strap_chocks_go"),),
            put_right=said("guided.seat_clamp_anew_rim"),
        ),
        SelfCheck(
            id="zero_mark",
            kinds=frozenset({"frame"}),
            test="runout",
            figure="runout",
            limit=1.0,
            applies="constant",
            need=said("guided.frame_slide_zero_steel_tape"),
            steps=(
                _way(
                    "first",
                    said("guided.set_slide_zero_mark_measure"),
                    said("guided.left"),
                    u=STEEL_TAPE_U,
                ),
                _way("second", said("guided.measure_beams_right_end_mark"), said("guided.right"), u=STEEL_TAPE_U),
            ),
            cautions=(said("guided.brakes_stand"),),
            put_right=said("guided.set_zero_mark_middle_read"),
        ),
        SelfCheck(
            id="beam_straight",
            kinds=frozenset({"frame"}),
            test="reference",
            figure="bias",
            limit=2.0,
            need=said("guided.level_line_beside_beam_rule"),
            steps=(
                _beam("left", said("guided.read_level_line_beam_left"), said("guided.left_2")),
                _beam("middle", said("guided.read_middle"), said("guided.middle")),
                _beam("right", said("guided.read_right_end"), said("guided.right_2")),
            ),
            cautions=(said("guided.brakes_stand"), LASER),
        ),
    )
}


def checks_for(tool: Tool) -> list[SelfCheck]:
    """The self-checks that an instrument can be put through."""
    return [c for c in CHECKS.values() if tool.kind in c.kinds]
