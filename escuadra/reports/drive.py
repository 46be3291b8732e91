"""A drive on one page: what was needed, what counted, what was lost to what, and the two drawings."""

from collections.abc import Sequence

from escuadra.core.base.said import Said
from escuadra.core.visit.driving import DriveAttempt, Driven, SensorDrive
from escuadra.reports.paper import printed, styled


def drive_pdf(
    head: Sequence[str], attempt: DriveAttempt, need: SensorDrive, brought: Driven, drawings: Sequence[str], way: Said
) -> bytes:
    """The page; ``head``: number, garage, vehicle, driver and moment; ``way``: what counted, as the display has it."""
    number, garage, vehicle, driver, at = head
    return printed(
        "drive_page.html",
        number=number,
        garage=garage,
        vehicle=vehicle,
        driver=driver,
        at=at,
        attempt=attempt,
        need=need,
        brought=brought,
        drawings=[styled(one) for one in drawings if one],
        way=way,
    )
