"""The target: its identity read off and matched with the sheet, its side, its way up, its fixing."""

from typing import ClassVar

from escuadra.core.job.checks.base import Check, Judgement
from escuadra.core.job.reach import beyond
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.procedure import check_kind
from escuadra.core.quantities import Quantity

MOUNTED = frozenset({"target"})
NO_PIECE = "none"
MOUNTS = ("left mount", "centre mount", "right mount")


@check_kind("target")
class TargetCheck(Check):
    """The right target, mounted as the procedure says."""

    labels: ClassVar[dict[str, str]] = {
        "identity": "Read the mark printed on the target",
        "side": "Which side faces the vehicle?",
        "way_up": "Which way up does it hang?",
        "fixing": "How is it fixed?",
    }

    def _wanted(self, setup: Setup) -> dict[str, str]:
        mounting = setup.plan.procedure.mounting
        return {
            "mount": mount_for(setup),
            "identity": setup.plan.target.mark,
            "side": mounting.side,
            "way_up": mounting.way_up,
            "fixing": mounting.fixing,
        }

    def make_slots(self, setup: Setup) -> list[Slot]:
        target = setup.plan.target
        missing = beyond(setup.plan)
        piece = []
        if missing is not None and missing.extensions:
            names = (NO_PIECE, *(e.name for e in setup.plan.frame.extensions))
            piece = [
                Slot(id="target.piece", label="With which extension?", ask="choice", aspects=MOUNTED, options=names)
            ]
        options = {"side": target.sides, "way_up": target.ways_up, "fixing": target.fixings, "identity": []}
        return [
            *(
                Slot(id=f"target.{what}", label=label, ask="choice", aspects=MOUNTED, options=tuple(options[what]))
                for what, label in self.labels.items()
            ),
            *piece,
            *self._mounts(setup),
        ]

    def _mounts(self, setup: Setup) -> list[Slot]:
        """Where the frame has several mounts: the sensor's offset, where it was measured, and the mount in use."""
        station = setup.plan.station
        if setup.plan.frame.mount_threshold is None or (station is not None and station.carrier == "stand"):
            return []
        half = setup.plan.vehicle.outline.width / 2
        measured = Slot(
            id="sensor.offset",
            label="Sensor off the vehicle's middle, as measured",
            quantity=Quantity(dimension="length", unit="mm", low=-half, high=half),
            aspects=frozenset({"line"}),
            reads="tape",
            words=("left", "right"),
            optional=True,
            hint="where it is not measured, the sheet's own figure decides the mount",
        )
        asked = Slot(id="target.mount", label="On which mount?", ask="choice", aspects=MOUNTED, options=MOUNTS)
        return [measured, asked]

    def judge(self, setup: Setup) -> Judgement:
        wanted, wrong, given = self._wanted(setup), [], 0
        asked = [slot for slot in self.slots(setup) if slot.ask != "number"]
        for slot in asked:
            found = setup.answered(slot)
            if found is None:
                continue
            given += 1
            what = slot.id.split(".")[1]
            said, want = str(found.said.value), wanted.get(what, "")
            if what == "piece":
                missing = beyond(setup.plan)
                if missing is not None and said not in missing.extensions:
                    wrong.append(f"extension: {said}. {missing.said}")
            elif said.replace(" ", "").casefold() != want.replace(" ", "").casefold():
                wrong.append(f"{what.replace('_', ' ')}: {said}, the sheet wants {want}")
        missing = beyond(setup.plan)
        if missing is not None and not missing.extensions:
            wrong.append(missing.said)
        summary = wanted["identity"] if given == len(asked) and not wrong else f"{given} of {len(asked)} answered"
        note = missing.said if missing is not None else ""
        return Judgement(given == len(asked), summary=summary, wrong="; ".join(wrong), note=note)


def mount_for(setup: Setup) -> str:
    """The mount for the sensor's offset as measured, else as the sheet has it; empty where the frame has one mount."""
    threshold = setup.plan.frame.mount_threshold
    if threshold is None:
        return ""
    measured = setup.current_of("sensor.offset")
    offset = measured.value if measured is not None else setup.plan.procedure.sensor.y
    return MOUNTS[1] if abs(offset) <= threshold else MOUNTS[0 if offset > 0 else 2]
