"""The surveys of the bays' floors."""

from dataclasses import dataclass

from sqlalchemy import Connection, select

from escuadra.store.tables import survey

_EVERY = select(survey.c.id, survey.c.bay, survey.c.begun_at, survey.c.sheet)
_EVERY = _EVERY.order_by(survey.c.begun_at.desc(), survey.c.id)


@dataclass(frozen=True)
class SurveyRow:
    """A survey: which bay, when it was begun (UTC milliseconds), and its pinned sheet once it was closed."""

    id: str
    bay: str
    begun_at: int
    sheet: str | None


def surveys(connection: Connection) -> list[SurveyRow]:
    """All surveys, the newest first."""
    return [SurveyRow(*row) for row in connection.execute(_EVERY)]
