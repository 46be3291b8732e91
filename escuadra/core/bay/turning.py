"""A bay too short for all stations of a sheet at once: before which of them the vehicle is turned or moved.

What stands before the vehicle and what stands behind it need room at both ends; where the bay has not both, the
stations are run in two lots, each with the vehicle where that lot has its room. Source: the room of each lot, ``room``.
"""

from collections.abc import Callable, Collection

from escuadra.core.procedure.sheet import Procedure


def part_of(procedure: Procedure, stations: Collection[str]) -> Procedure:
    """A sheet with the room and the places that some of its stations take."""
    room = [zone for zone in procedure.room if not zone.stations or {*zone.stations} & {*stations}]
    places = [place for place in procedure.places if not place.stations or {*place.stations} & {*stations}]
    return procedure.model_copy(update={"room": room, "places": places})


def lots(procedure: Procedure, before: str) -> tuple[list[str], list[str]]:
    """The stations before the vehicle is turned, and those from there on."""
    every = [station.id for station in procedure.stations]
    k = every.index(before)
    return every[:k], every[k:]


def turned_before(procedure: Procedure, fits: Callable[[Procedure], bool]) -> str:
    """The station before which the vehicle is turned, as late as can be; empty where no turn helps.

    ``fits``: whether a bay has the room that a sheet takes; asked only of sheets of which some room is one station's.
    """
    tied = any(zone.stations for zone in procedure.room) or any(place.stations for place in procedure.places)
    for station in reversed(procedure.stations[1:]) if tied else []:
        if all(fits(part_of(procedure, lot)) for lot in lots(procedure, station.id)):
            return station.id
    return ""
