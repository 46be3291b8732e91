"""What the script on a page says, by its codes, in one language: an address of its own for every content."""

import hashlib
import json
from functools import cache

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from escuadra.words import language, spoken

router = APIRouter()
FOREVER = "public, max-age=31536000, immutable"


@cache
def _content(code: str) -> tuple[str, str]:
    """The script's words as JSON, and a hash of them."""
    text = json.dumps(language(code).starting("js."), ensure_ascii=False, sort_keys=True)
    return text, hashlib.sha256(text.encode()).hexdigest()[:12]


def words_address() -> str:
    """Where the words of the language that is spoken now are, named by their content."""
    code = spoken().code
    return f"/words/{code}.json?v={_content(code)[1]}"


@router.get("/words/{code}.json")
def words(code: str, v: str = "") -> Response:
    """The script's words; an address that was made for others leads to these."""
    text, digest = _content(code)
    if v != digest:
        return RedirectResponse(f"/words/{code}.json?v={digest}", 307)
    return Response(text, media_type="application/json", headers={"Cache-Control": FOREVER})
