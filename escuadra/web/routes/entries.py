"""A catalogue entry as it is: every figure with what it means, and its YAML to begin one of one's own with."""

from typing import Any

import yaml
from fastapi import APIRouter, Request
from fastapi.responses import Response

from escuadra.core.model import Frozen
from escuadra.core.said import Said, said
from escuadra.core.wording import amount
from escuadra.web.downloads import named
from escuadra.web.pages import garage_of, render

router = APIRouter(prefix="/catalogue")


@router.get("/{kind}/{id}.yaml")
def as_yaml(request: Request, kind: str, id: str) -> Response:
    """The entry as a catalogue file."""
    found = garage_of(request).catalogue.get(kind, id)
    text = yaml.safe_dump(found.content.model_dump(mode="json", exclude_none=True), sort_keys=False, allow_unicode=True)
    return Response(text, media_type="application/yaml", headers=named(found.id.casefold(), "yaml"))


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


def rows(content: Frozen) -> list[tuple[str, str, Any]]:
    """Name, meaning and value of every figure that is set."""
    found = []
    for name, field in type(content).model_fields.items():
        value = getattr(content, name)
        if value in (None, [], {}) or name in ("id", "revision", "name", "title", "note", "checks", "cautions"):
            continue
        found.append((name.replace("_", " "), field.description or "", _said(value)))
    return found


def _said(value: Any) -> str:
    if isinstance(value, Frozen):
        return ", ".join(f"{k.replace('_', ' ')} {_said(v)}" for k, v in value if v not in (None, [], {}))
    if isinstance(value, list | tuple):
        return "; ".join(_said(part) for part in value)
    if isinstance(value, dict):
        return "; ".join(f"{k.replace('_', ' ')}: {_said(v)}" for k, v in value.items())
    return f"{value:g}" if isinstance(value, float) else str(value)


def _learned(scale: Any) -> Said | None:
    """What jobs found out about the frame's screw; nothing where none did."""
    if scale is None or scale.learned is None:
        return None
    known = scale.learned.mechanics
    by, u = amount(known.deg_per_turn, "°", 3), amount(2 * known.u_deg_per_turn, "°", 3)
    return said("routes.entries.turn_moves_last_job", by=by, u=u, moves=known.moves, job=scale.learned.job)
