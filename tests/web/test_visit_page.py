"""What a visit's page works out for itself: calibrations that stand before one that they should come after."""

from dataclasses import replace

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands.forms import Tab
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.web.screens.visit.routes import too_soon

PRACTISED = load([PRACTICE])


def test_a_calibration_before_one_that_it_should_follow_is_told() -> None:
    plain = PRACTISED.get("vehicle", "brezo-lanzadera").content.model_dump(mode="json")
    for sensor in plain["sensors"]:
        sensor["sheets"] = {"surround_front": ["BL-SUR-01"], "surround_rear": ["BL-RAD-02"]}.get(sensor["id"], [])
    model = VehicleModel.read(plain)

    def tab(id: str, sheet: str, stage: str = "in_work") -> Tab:
        return Tab(id, id, PRACTISED.get("procedure", sheet).content, stage, sheet)

    front, rear = tab("1", "BL-SUR-01"), tab("2", "BL-RAD-02")
    assert too_soon(model, [front, rear]) == {"1": [], "2": []}
    assert too_soon(model, [rear, front]) == {"2": ["front surround camera"], "1": []}
    assert too_soon(model, [rear, tab("1", "BL-SUR-01", "left_out")]) == {"2": []}
    alone = replace(front, sensors=("surround_left",))
    assert too_soon(model, [rear, alone]) == {"2": ["left surround camera"], "1": []}, "added for that one alone"
