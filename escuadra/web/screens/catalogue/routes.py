"""A catalogue entry as it is: every figure with what it means, and its YAML to begin one of one's own with."""

from typing import Any

import yaml
from fastapi import Request
from fastapi.responses import Response

from escuadra.catalogue.bundle import as_yaml as yaml_of
from escuadra.core.authoring.fields import owner_of
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Said, said
from escuadra.core.base.wording import amount
from escuadra.web.downloads import named
from escuadra.web.pages import garage_of, render
from escuadra.web.screens import screen

router = screen("entries", "/catalogue", within="garage", posts=False)


@router.get("/{kind}/{id}.yaml")
def as_yaml(request: Request, kind: str, id: str) -> Response:
    """The entry as a catalogue file."""
    found = garage_of(request).catalogue.get(kind, id)
    return Response(yaml_of(found.content), media_type="application/yaml", headers=named(found.id.casefold(), "yaml"))


@router.get("/{kind}/{id}")
def show(request: Request, kind: str, id: str) -> Response:
    """The entry with its figures."""
    garage = garage_of(request)
    found = garage.catalogue.get(kind, id)
    return render(
        request,
        "entry.html",
        entry=found,
        rows=rows(found.content),
        learned=_learned(garage.instruments.scale_of(id)) if kind == "frame" else "",
        data=garage.data,
    )


LEFT_OUT = ("id", "revision", "sources", "assumed", "name", "title", "note", "checks", "cautions")
"""What stands in the heading, or is a text for the sheet."""


def rows(content: Frozen) -> list[tuple[str, str, str]]:
    """Name, name again where there is a text of what it is for, and value as in the file, of every field set."""
    found = []
    written = _plain(content.model_dump(mode="json", exclude_none=True))
    for name, field in type(content).model_fields.items():
        value = written.get(name)
        if value not in (None, [], {}, "") and name not in LEFT_OUT:
            text = yaml.safe_dump(value, sort_keys=False, allow_unicode=True, default_flow_style=None, width=72)
            found.append(
                (
                    name,
                    f"{owner_of(type(content), name)}.{name}" if field.description else "",
                    text.removesuffix("...\n").rstrip(),
                )
            )
    return found


def _plain(value: Any) -> Any:
    """Figures as people write them: 310, not 310.0."""
    if isinstance(value, dict):
        return {key: _plain(one) for key, one in value.items()}
    if isinstance(value, list):
        return [_plain(one) for one in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _learned(scale: Any) -> Said | None:
    """What jobs found out about the frame's screw; nothing where none did."""
    if scale is None or scale.learned is None:
        return None
    known = scale.learned.mechanics
    by, u = amount(known.deg_per_turn, "°", 3), amount(2 * known.u_deg_per_turn, "°", 3)
    return said("routes.entries.turn_moves_last_job", by=by, u=u, moves=known.moves, job=scale.learned.job)
