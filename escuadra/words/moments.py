"""Moments as they are said: a day and a time in the garage's zone, with the language's own names of months and days."""

from datetime import datetime
from typing import Literal

from escuadra.core.base.said import Noun, Said, said

Form = Literal["time", "day_time", "day_time_year", "day_seconds", "weekday"]


def moment(at: datetime, form: Form = "time") -> Said:
    """A moment in its own zone: its time alone, or with as much of its day as the form asks for."""
    return said(
        f"moment.{form}",
        time=f"{at:%H:%M}",
        seconds=f"{at:%H:%M:%S}",
        day=str(at.day),
        month=Noun(f"month.{at.month}"),
        month_whole=Noun(f"month_whole.{at.month}"),
        weekday=Noun(f"weekday.{at.weekday()}"),
        year=str(at.year),
    )
