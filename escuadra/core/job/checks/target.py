"""The target: its identity read off and matched with the sheet, its side, its way up, its fixing."""

from typing import ClassVar

from escuadra.core.job.checks.base import Check, Judgement
from escuadra.core.job.reach import beyond
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.procedure import check_kind

MOUNTED = frozenset({"target"})
NO_PIECE = "none"


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
        ]

    def judge(self, setup: Setup) -> Judgement:
        wanted, wrong, given = self._wanted(setup), [], 0
        for slot in self.slots(setup):
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
        asked = len(self.slots(setup))
        missing = beyond(setup.plan)
        if missing is not None and not missing.extensions:
            wrong.append(missing.said)
        summary = wanted["identity"] if given == asked and not wrong else f"{given} of {asked} answered"
        note = missing.said if missing is not None else ""
        return Judgement(given == asked, summary=summary, wrong="; ".join(wrong), note=note)
