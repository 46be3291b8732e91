"""A worked example a kind for the API page, small enough to read; the tests run every one of them."""

from typing import Any

_TAPE = {"resolution": 0.5, "accuracy_constant": 0.4, "accuracy_ppm": 60, "repeatability": 0.3}
_NETWORK = {
    "points": {
        "LF": {"x": 2687.5, "y": 781, "fixed": True},
        "RF": {"x": 2687.5, "y": -781, "fixed": True},
        "LR": {"x": 0, "y": 774.5, "fixed": True},
    },
    "frame": {"x": 4160, "y": 0, "yaw_deg": 0, "points": {"L": [0, 1113], "R": [0, -1113], "C": [0, 0]}},
    "observations": [
        {"id": "LF-L", "type": "distance", "from": "LF", "to": "L", "value": 1487.5, "u": 0.8},
        {"id": "RF-R", "type": "distance", "from": "RF", "to": "R", "value": 1553.4, "u": 0.8},
        {"id": "offset", "type": "y", "point": "C", "value": 12.4, "u": 0.8},
        {"id": "LF-R", "type": "distance", "from": "LF", "to": "R", "value": 2411.5, "u": 0.8},
    ],
}
_UNREAD = [{key: v for key, v in o.items() if key != "value"} for o in _NETWORK["observations"]]  # type: ignore[attr-defined]
_MORE = [{"id": "LR-L", "type": "distance", "from": "LR", "to": "L", "u": 1.1}]
_ARCH = {"nominal": 690, "minus": 12, "plus": 10}
_WHEEL = {"span": 409}

_STATE = {
    "points": {
        "LF": {"x": 2687.5, "y": 781, "z": 331, "fixed": ["x", "y", "z"]},
        "RF": {"x": 2687.5, "y": -781, "z": 331, "fixed": ["x", "y", "z"]},
    },
    "bodies": {
        "first": {
            **{"x": 4160, "y": 0, "z": 700, "yaw_deg": 0, "roll_deg": 0, "pitch_deg": 0},
            "points": {"L": [0, 1113, 0], "R": [0, -1113, 0], "target": [-31.5, 0, 717]},
        }
    },
    "thrust": {"angle_deg": 0},
    "instruments": {"tape": {"u_offset": 0.3}},
    "observations": [
        *(
            {
                "id": f"{a}-{b}",
                "type": "distance",
                "from": a,
                "to": f"first:{b}",
                "value": v,
                "u": 0.8,
                "instrument": "tape",
            }
            for a, b, v in (("LF", "L", 1553.5), ("RF", "R", 1559), ("LF", "R", 2431.5), ("RF", "L", 2426))
        ),
        {"id": "along", "type": "roll", "body": "first", "value": 0.05, "u": 0.03},
        {"id": "across", "type": "pitch", "body": "first", "value": 0.22, "u": 0.03},
        {"id": "target's height", "type": "height", "point": "first:target", "value": 1417.5, "u": 0.8},
        {"id": "printout", "type": "thrust", "value": 0.06, "u": 0.01},
    ],
    "wanted": [
        {"id": "square", "type": "yaw", "body": "first", "to": "thrust"},
        {"id": "distance", "type": "ahead", "point": "first:target", "from": ["LF", "RF"], "line": "thrust"},
    ],
    "limits": {"square": [-0.25, 0.25], "distance": [1436, 1446]},
}

EXAMPLES: dict[str, dict[str, Any]] = {
    "reading": {"values": [2745.5, 2746], "instrument": _TAPE},
    "verdict": {"value": 0.21, "u": 0.045, "lower": -0.25, "upper": 0.25, "rule": "guarded"},
    "stance": {
        "wheelbase": 2687.5,
        "track_front": 1562,
        "track_rear": 1549,
        "corners": {c: {"height": h, **_ARCH} for c, h in (("LF", 688), ("RF", 691), ("LR", 679), ("RR", 682))},
        "sensor": {"x": 1900, "y": 0},
    },
    "symmetry": {
        "pairs": [
            {"id": "lamps", "left": 1843, "right": 217, "u": 0.9},
            {"id": "gaps", "left": 1704.5, "right": 354, "u": 0.9},
        ]
    },
    "lines": {
        "rear_toe": {"left_deg": 0.17, "right_deg": 0.06, "u_deg": 0.02},
        "body_marks": {"front": {"x": 3391, "y": 1.4, "u": 0.8}, "rear": {"x": -691, "y": -0.6, "u": 0.8}},
        "stations": [0, 4557],
    },
    "network": _NETWORK,
    "design": {**_NETWORK, "observations": _UNREAD},
    "next": {**_NETWORK, "candidates": _MORE, "quantity": "yaw_deg"},
    "part": {**_NETWORK, "candidates": _MORE, "suspects": ["LF-R", "RF-R"]},
    "state": _STATE,
    "moves": {
        "pose": {"x": 4171, "y": 12.5, "yaw_deg": 1.7, "height": 1404},
        "goal": {"x": 4557, "y": 0, "yaw_deg": 0.1, "height": 1417},
        "frame": {"pivot": [-61.5, 0], "yaw_deg_per_turn": 0.35},
    },
    "aim": {"by": "position", "target_left": 7.5, "target_up": 0, "sensor_to_target": 1417, "roads": [27, 83]},
    "floor": {
        "points": [
            {"id": i, "x": x, "y": y, "staff": s}
            for i, x, y, s in (("A", 0, 0, 1391), ("B", 4000, 0, 1388), ("C", 0, 3000, 1394), ("D", 4000, 3000, 1392))
        ]
    },
    "levelling": {
        "readings": [
            {"setup": "S1", "point": "A", "staff": 1387.5},
            {"setup": "S1", "point": "B", "staff": 1391},
            {"setup": "S2", "point": "B", "staff": 1411},
            {"setup": "S2", "point": "C", "staff": 1419.5},
        ],
        "u": 0.7,
        "datum": "A",
    },
    "strings": {
        "wheelbase": 2643.5,
        "strings": {"front": 2041.5, "rear": 2040, "spacing": 4417.5},
        "wheels": {
            "LF": {"front": 260.5, "rear": 259.1, **_WHEEL},
            "RF": {"front": 243.7, "rear": 243.4, **_WHEEL},
            "LR": {"front": 262.4, "rear": 260.1, **_WHEEL},
            "RR": {"front": 254.5, "rear": 254, **_WHEEL},
        },
        "u": 0.4,
    },
    "feet": {
        "feet": [{"id": "F1", "x": 341, "y": 512}, {"id": "F2", "x": 341, "y": -512}, {"id": "F3", "x": -341, "y": 0}],
        "thread_pitch": 1.75,
        "roll_deg": 0.38,
        "pitch_deg": 0.21,
    },
    "stakeout": {
        "controls": {"LF": {"x": 2643.5, "y": 768.5, "u": 0.8}, "RF": {"x": 2643.5, "y": -768.5, "u": 0.8}},
        "points": [{"id": "T1", "x": 4417, "y": 1217.5}],
        "tape": {"constant": 0.6, "ppm": 180},
    },
    "reflection": {"left": 23.5, "up": 11, "distance": 2471.5},
    "screws": {
        "yaw_deg": 0.83,
        "pitch_deg": -0.41,
        "screws": [
            {"id": "S1", "yaw_deg_per_turn": 0.34, "pitch_deg_per_turn": 0.02},
            {"id": "S2", "yaw_deg_per_turn": -0.03, "pitch_deg_per_turn": -0.27},
        ],
    },
    "adjusting": {
        "screws": [
            {"id": "side", "yaw_deg_per_turn": 0.62, "pitch_deg_per_turn": 0.08},
            {"id": "low", "yaw_deg_per_turn": -0.05, "pitch_deg_per_turn": 0.7},
        ],
        "shown": [{"yaw": 0.94, "pitch": -0.61}, {"yaw": 0.21, "pitch": -0.09}],
        "turned": [{"side": -1.625, "low": 1.0}],
        "u": 0.02,
        "within": 0.1,
        "travel": 4,
    },
    "tripod": {
        "distance": 2311,
        "wanted_distance": 2280,
        "line": 127,
        "wanted_left": -132,
        "height": 579,
        "wanted_height": 588,
        "lean_away_deg": 0.9,
    },
    "tilt": {"tilts": [-2.1, 0, 2.1], "responses": [61.4, 74.9, 68.2]},
    "check": {"test": "level_reversal", "first": 0.31, "second": -0.17},
    "drift": {
        "history": [{"day": 17, "bias": 0.11, "u": 0.09}, {"day": 391, "bias": 0.41, "u": 0.11}],
        "limit": 1.5,
        "horizon_days": 1461,
    },
    "drive": {
        "samples": [{"t": t, "speed": 62, "heading": 88} for t in range(4)],
        "limits": {"speed_min": 40, "speed_max": 110, "radius_min": 250},
        "need": {"distance_km": 2, "time_s": None},
    },
    "roads": {
        "need": {"distance_km": 8.5},
        "roads": [
            {
                **{"id": "valley", "near_s": 360, "far_s": 780, "turn_s": 90},
                "past": [
                    {"counted_km": 6.1, "counted_s": 290, "total_s": 430},
                    {"counted_km": 5.7, "counted_s": 270, "total_s": 450},
                ],
            },
            {
                **{"id": "ring", "near_s": 180, "far_s": 240, "turn_s": 60},
                "assumed": {"counted_km": 1.4, "counted_s": 105, "total_s": 240},
            },
        ],
    },
    "vin": {"vin": "11111111111111111"},
    "scope": {
        "sensors": [
            {"id": "front_camera", "looks_through": ["windscreen"], "depends_on": ["wheel_alignment"], "minutes": 55},
            {"id": "front_radar", "mounted_on": ["front_bumper"], "minutes": 40},
        ],
        "done": [{"act": "replaced", "part": "windscreen"}],
    },
    "peers": {
        "history": [
            {"vehicle": v, "day": 31 * k, "value": 0.04 * k - 0.05} for k, v in enumerate(("A", "B", "C", "D"))
        ],
        "vehicle": "E",
        "value": 0.31,
    },
    "explain": {
        "results": [{"id": "yaw", "value": 0.6, "u": 0.02}, {"id": "pitch", "value": 0.03, "u": 0.02}],
        "causes": [
            {"id": "target_left", "u": 1.7, "effect": {"yaw": 0.0136}},
            {"id": "thrust_angle", "u": 0.02, "effect": {"yaw": 1}},
            {"id": "floor_pitch", "u": 0.035, "effect": {"pitch": 1}},
        ],
    },
}
