"""A technician without a browser: does what the sheet says next, in a bay where things truly stand somewhere."""

from escuadra.core.visit.log.places import family
from escuadra.core.visit.next_move import NextMove
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician

MOST_STEPS = 150


class Stuck(Exception):
    """What is next cannot be done, or never leads there: ``move`` is what was next, ``until`` what was awaited."""

    def __init__(self, move: NextMove, until: tuple[str, ...]) -> None:
        self.move, self.until = move, until
        super().__init__(f"{move.kind} {move.check} {move.slot} {move.sentence}: never {until}")


def follow(who: Technician, bay: VirtualBay, *until: str) -> list[NextMove]:
    """Do what is next until that is of such a kind, check, page or happening; the moves on the way, it the last."""
    moves: list[NextMove] = []
    for _ in range(MOST_STEPS):
        sheet = who.opened.sheet
        move = sheet.next
        if move.kind == "blocked":
            raise Stuck(move, until)
        if {move.kind, move.check, move.opens, move.happening} & {*until}:
            return [*moves, move]
        bay.go(sheet.plan)
        if move.kind == "move":
            moves.append(move)
            bay.obey(move.happening, move.by)
            who.happen(move.happening, move.by)
        elif family(move.slot) == "target":
            who.target()
        elif family(move.slot) == "beside" and move.kind == "answer":
            who.target_beside(move.slot)
        elif sheet.slots[move.slot].slot.ask == "tick":
            who.answer(move.slot, "yes")
        elif (options := sheet.slots[move.slot].slot.options) and move.kind == "answer":
            who.answer(move.slot, options[0])
        else:
            read(who, bay, move.slot, move.replaces)
    raise Stuck(who.opened.sheet.next, until)


def read(who: Technician, bay: VirtualBay, place: str, replaces: bool = False) -> None:
    """What there truly is to be read at a place."""
    slot, value = who.opened.sheet.slots[place].slot, bay.at(place)
    word = "" if slot.way is None else "plus" if value >= 0 else "minus"
    shown = f"{abs(value) if slot.way else value:.2f}"
    who.read(place, shown, who.garage.tools(slot)[0].id, word, replaces)
