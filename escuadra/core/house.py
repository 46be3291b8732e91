"""What a garage says about itself, in streams of their own: its people, its settings, its bays, what entries it uses.

What these amount to are plain rows (who works here, what is set): nothing is folded but by the store.
"""

from typing import Literal, get_args

from pydantic import Field

from escuadra.core.base.stream import Payload

PEOPLE, SETTINGS, ROADS = "people", "settings", "roads"
"""The streams that a garage has one of."""
Role = Literal["specialist", "lead", "trainee", "estimator"]
ROLES: tuple[Role, ...] = get_args(Role)
"""What somebody does here."""
Duty = Literal["measure", "sign", "author", "release"]
DUTIES: dict[str, tuple[Duty, ...]] = {
    "trainee": ("measure",),
    "estimator": ("measure",),
    "specialist": ("measure", "sign", "author"),
    "lead": ("measure", "sign", "author", "release"),
    "itself": (),
}
"""What each may do with a calibration and with the sheets that it is done by; one person may hold all of it."""


class PersonAdded(Payload):
    """Somebody works here."""

    code = "person_added"

    id: str
    name: str
    role: Role


class SettingSet(Payload):
    """A setting has a value from now on."""

    code = "setting_set"

    key: str
    value: str


class RoadDriven(Payload):
    """A road of the garage was driven: the traces that tell how its passes went."""

    code = "road_driven"
    files = ("traces",)

    road: str = Field(description="its id in the catalogue")
    traces: list[str] = Field(min_length=1, description="SHA-256 of the kept tables of samples")
    visit: str = Field("", description="id of the visit that it was driven for; empty: for none that is kept here")


class BayAdded(Payload):
    """There is a bay of that name."""

    code = "bay_added"

    name: str


class BayDrawn(Payload):
    """A bay's sheet, new or revised, by the hash of its content."""

    code = "bay_drawn"

    name: str
    sheet: str


class EntryKept(Payload):
    """A catalogue entry was used for the first time and is kept for good, by the hash of its content."""

    code = "entry_kept"

    kind: str
    id: str
    revision: int
    hash: str
    content: str = Field("", description="SHA-256 of the text, where it lies under another name than that")


class CustomerErased(Payload):
    """A customer's name and address are gone for good; whatever refers to them by id says since when."""

    code = "customer_erased"

    id: str


def customer_stream(id: str) -> str:
    """The stream of a customer: that they were erased is all that is ever in it."""
    return f"customer/{id}"


def visit_stream(id: str) -> str:
    """The stream of a visit."""
    return f"visit/{id}"


def survey_stream(id: str) -> str:
    """The stream of a survey."""
    return f"survey/{id}"


def instrument_stream(id: str) -> str:
    """The stream of an instrument."""
    return f"instrument/{id}"


def bay_stream(name: str) -> str:
    """The stream of a bay."""
    return f"bay/{name}"


def entry_stream(kind: str, id: str) -> str:
    """The stream of a catalogue entry's life."""
    return f"entry/{kind}/{id}"
