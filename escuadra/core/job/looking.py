"""Which further reading helps: the one that decides an undecided check, or tells suspects apart.

Figures of ``next`` and ``part`` on the epoch's solution.
"""

import math
from typing import Any

from escuadra.core.design import covariance_with, parting
from escuadra.core.errors import BadInput
from escuadra.core.job.places import ENDS
from escuadra.core.job.setup import Setup
from escuadra.core.job.solved import Solved
from escuadra.core.observations import NetworkInput
from escuadra.core.stance import CORNERS


def candidates(setup: Setup, solved: Solved) -> list[dict[str, Any]]:
    """Tapes that could still be read, with the uncertainty of the tape that was used most."""
    network = setup.network(solved.epoch)
    used = [o for o in network["observations"] if str(o["id"]).startswith("tape.")]
    if not used:
        return []
    tool, u = used[-1]["instrument"], used[-1]["u"]
    taken = {str(o["id"]).split("~")[0] for o in used}
    found = []
    for hub in CORNERS:
        for end in ENDS:
            id = f"tape.{hub}.{end}"
            if id not in taken:
                found.append(
                    {"id": f"{id}~{tool}", "type": "distance", "from": hub, "to": end, "instrument": tool, "u": u}
                )
    return found


def repeats(solved: Solved) -> list[Any]:
    """The readings of the solution as candidates once more."""
    return [
        o.model_copy(update={"id": f"{o.id}~again", "value": None})
        for o in solved.given.observations
        if o.id.startswith(("tape.", "crossing"))
    ]


def most_useful(setup: Setup, solved: Solved, what: str) -> tuple[str, float] | None:
    """Slot of the reading that lessens a quantity's u most, and that u."""
    return setup.once(("useful", solved.epoch, what), lambda: _most_useful(setup, solved, what))


def _most_useful(setup: Setup, solved: Solved, what: str) -> tuple[str, float] | None:
    derived = solved.derived(what)
    given = NetworkInput.read({**setup.network(solved.epoch), "observations": candidates(setup, solved)})
    after: dict[str, float] = {}
    for candidate in [*given.observations, *repeats(solved)]:
        covariance = covariance_with(solved.solution, solved.given, candidate)
        u = math.sqrt(max(0.0, float(derived.gradient @ covariance @ derived.gradient)))
        after[candidate.id.split("~")[0]] = u
    if not after:
        return None
    best = min(after, key=lambda i: after[i])
    return best, after[best]


def parting_reading(setup: Setup, solved: Solved) -> str | None:
    """Slot of the unread tape that best tells the first two suspects apart (``part``)."""
    return setup.once(("parting", solved.epoch), lambda: _parting_reading(setup, solved))


def _parting_reading(setup: Setup, solved: Solved) -> str | None:
    # What a person can misread comes before what is only known from the model.
    suspects = sorted(solved.result.suspects, key=lambda i: not i.startswith(("tape.", "crossing")))
    offered = candidates(setup, solved)
    if len(suspects) < 2 or not offered:
        return None
    given = NetworkInput.read({**setup.network(solved.epoch), "observations": offered})
    try:
        found = parting(solved.solution, solved.given, (suspects[0], suspects[1]), list(given.observations))
    except BadInput:
        return None
    return found.best.split("~")[0]
