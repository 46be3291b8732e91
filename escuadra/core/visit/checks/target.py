"""The target: its identity read off and matched with the sheet, its side, its way up, its fixing."""

from dataclasses import replace
from typing import ClassVar

from escuadra.core.base.said import NOTHING, Name, Said, Text, said, sentences
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Judgement
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.plan import sensor_slot
from escuadra.core.visit.reach import beyond
from escuadra.core.visit.slots import Slot

MOUNTED = frozenset({"target"})
NO_PIECE = "none"
MOUNTS = ("left_mount", "centre_mount", "right_mount")


@check_kind("target")
class TargetCheck(Check):
    """The right target, mounted as the procedure says."""

    labels: ClassVar[dict[str, Said]] = {
        "identity": said("target.read_mark_printed_target"),
        "side": said("target.side_faces_vehicle"),
        "way_up": said("target.way_up_does_hang"),
        "fixing": said("target.how_fixed"),
    }

    def _wanted(self, epochs: Epochs) -> dict[str, str]:
        mounting = epochs.plan.procedure.mounting
        return {
            "mount": mount_for(epochs),
            "identity": epochs.plan.target.mark,
            "side": mounting.side,
            "way_up": mounting.way_up,
            "fixing": mounting.fixing,
        }

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        target = epochs.plan.target
        missing = beyond(epochs.plan)
        piece = []
        if missing is not None and missing.extensions:
            names = tuple(e.name for e in epochs.plan.frame.extensions)
            label = said("target.extension")
            options_ = (NO_PIECE, *names)
            piece = [_choice("piece", label, options_, names)]
        options = {"side": target.sides, "way_up": target.ways_up, "fixing": target.fixings, "identity": []}
        return [
            *(_choice(what, label, tuple(options[what]), tuple(options[what])) for what, label in self.labels.items()),
            *piece,
            *self._mounts(epochs),
        ]

    def _mounts(self, epochs: Epochs) -> list[Slot]:
        """Where the frame has several mounts: the sensor's offset, where it was measured, and the mount in use."""
        station = epochs.plan.station
        own_place = station is not None and station.own_place
        if mount_threshold(epochs, own_place) is None:
            return []
        hint = said("target.not_measured_sheets_own_figure")
        measured = replace(sensor_slot(epochs.plan), optional=True, hint=hint)
        return [measured, _choice("mount", said("target.mount"), MOUNTS)]

    def judge(self, epochs: Epochs) -> Judgement:
        wanted, given = self._wanted(epochs), 0
        mismatch: list[Said] = []
        asked = [slot for slot in self.slots(epochs) if slot.ask != "number"]
        for slot in asked:
            found = epochs.answered(slot)
            if found is None:
                continue
            given += 1
            what = slot.which
            answer, want = str(found.said.value), wanted.get(what, "")
            if what == "piece":
                missing = beyond(epochs.plan)
                if missing is not None and answer not in missing.extensions:
                    mismatch += [said("target.other_extension", given=slot.option(answer)), *missing.said]
            elif not alike(answer, want):
                shown = slot.option(want) if want in MOUNTS else Name(want)
                mismatch.append(said(f"target.other.{what}", given=slot.option(answer), want=shown))
        missing = beyond(epochs.plan)
        if missing is not None and not missing.extensions:
            mismatch += missing.said
        summary = (
            Name(wanted["identity"])
            if given == len(asked) and not mismatch
            else said("target.answered", given=given, asked=len(asked))
        )
        remark = sentences(*missing.said) if missing is not None else NOTHING
        return Judgement(given == len(asked), summary=summary, mismatch=sentences(*mismatch), remark=remark)

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        station = epochs.plan.station
        code = "move.mount_stand" if station is not None and station.own_place else "move.mount"
        action = said(f"{code}.action")
        return NextMove("move", said(code), judged.mismatch, action=action, check=self.id, happening="mount")


def _choice(what: str, label: Text, options: tuple[str, ...], named: tuple[str, ...] = ()) -> Slot:
    """The slot of an answer about the target."""
    return Slot(
        id=f"target.{what}", label=label, which=what, ask="choice", aspects=MOUNTED, options=options, named=named
    )


def alike(answer: str, wanted: str) -> bool:
    """A mark as it was read off is the one that is wanted, whatever its spaces and capitals."""
    return answer.replace(" ", "").casefold() == wanted.replace(" ", "").casefold()


def mount_threshold(epochs: Epochs, own_place: bool) -> float | None:
    """Beyond which offset the mount at the side is used: the sheet's for a stand, else the frame's; none: one mount."""
    return epochs.plan.procedure.mount_threshold if own_place else epochs.plan.frame.mount_threshold


def mount_for(epochs: Epochs) -> str:
    """The mount for the sensor's offset as measured, else as the sheet has it; empty where there is one mount."""
    station = epochs.plan.station
    threshold = mount_threshold(epochs, station is not None and station.own_place)
    if threshold is None:
        return ""
    measured = epochs.current_of("sensor.offset")
    offset = measured.value if measured is not None else epochs.plan.procedure.sensor.y
    return MOUNTS[1] if abs(offset) <= threshold else MOUNTS[0 if offset > 0 else 2]
