"""A browser without a window: gets pages, posts their forms, and sees the elements that came back."""

import uuid
from html.parser import HTMLParser
from typing import Any

import pytest
from fastapi.testclient import TestClient

from escuadra.commands import Garage
from escuadra.web.app import create_app


class Elements(HTMLParser):
    """Every start tag with its attributes, and the text inside elements with an id or class asked for."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str]]] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, {key: value or "" for key, value in attrs}))

    def having(self, **wanted: str) -> list[dict[str, str]]:
        names = {key.rstrip("_").replace("_", "-"): value for key, value in wanted.items()}
        return [a for _, a in self.tags if all(a.get(key) == value for key, value in names.items())]


class Visitor:
    """A browser with cookies: gets pages, posts forms with the token that the page carried."""

    def __init__(self, garage: Garage, person: str = "teo") -> None:
        self.client = TestClient(create_app(garage), base_url="http://127.0.0.1", follow_redirects=False)
        self.client.cookies.set("escuadra_person", person)
        self.client.get("/")

    def page(self, path: str, **headers: str) -> Elements:
        answer = self.client.get(path, headers=headers)
        assert answer.status_code == 200, answer.text[:400]
        return Elements(answer.text)

    def post(self, path: str, fields: dict[str, str], **headers: str) -> Any:
        token = self.client.cookies.get("escuadra_token") or ""
        return self.client.post(path, data={"token": token, "entry": uuid.uuid4().hex, **fields}, headers=headers)


@pytest.fixture
def visitor(garage: Garage) -> Visitor:
    return Visitor(garage)
