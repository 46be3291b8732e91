"""The shared cases through the other two doors: command line and HTTP give what Python gives, in the same words."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from typer.testing import CliRunner

from escuadra.cli import app as command_line
from escuadra.commands import Garage
from escuadra.core.base.errors import BadInput
from escuadra.core.calculations import KINDS, compute
from escuadra.web.app import create_app
from escuadra.web.examples import EXAMPLES
from tests.core.test_cases import assert_holds, cases
from tests.english import told


@pytest.fixture
def client(garage: Garage) -> TestClient:
    return TestClient(create_app(garage), base_url="http://127.0.0.1")


def test_all_cases_over_http(client: TestClient) -> None:
    for kind, case in (parameter.values for parameter in cases()):
        answer = client.post(f"/api/compute/{kind}", json=case["given"])
        if "error" in case:
            assert answer.status_code == 422, case["name"]
            assert answer.json()["field"] == case["error"]
            with pytest.raises(BadInput) as refused:
                compute(kind, case["given"])
            assert answer.json()["detail"] == told(refused.value), "the same words at every door"
        else:
            assert answer.status_code == 200, answer.text
            assert_holds(case["expect"], answer.json(), case["name"])


def test_all_cases_on_the_command_line() -> None:
    runner = CliRunner()
    for kind, case in (parameter.values for parameter in cases()):
        result = runner.invoke(command_line, ["compute", kind, "-"], input=json.dumps(case["given"]))
        if "error" in case:
            assert isinstance(result.exception, BadInput), case["name"]
            assert result.exception.field == case["error"]
        else:
            assert result.exit_code == 0, case["name"]
            assert_holds(case["expect"], json.loads(result.stdout), case["name"])


@pytest.mark.parametrize(
    "arguments, text, code, said",
    [
        (["compute", "vin", "-"], '{"vin": "11111111111111111"}', 0, '"check_matches": true'),
        (["compute", "vin", "-"], '{"vin": 5}', 2, "vin: given 5; accepted:"),
        (["compute", "vin", "-"], "not JSON", 2, "one JSON object"),
        (["compute", "vin", "-"], "[1, 2]", 2, "one JSON object"),
        (["compute", "sorcery", "-"], "{}", 2, "kind: given sorcery; accepted: one of adjusting"),
        (["compute", "vin", "no-such-file.json"], "", 2, "a file that can be read"),
        (["verify", "--data", "no-such-folder"], "", 2, "a folder with a garage"),
    ],
)
def test_the_command_exits_with_one_line(arguments: list[str], text: str, code: int, said: str, tmp_path: Path) -> None:
    run = subprocess.run(
        [sys.executable, "-m", "escuadra.cli", *arguments], input=text, capture_output=True, text=True, cwd=tmp_path
    )
    assert run.returncode == code
    output = run.stdout if code == 0 else run.stderr
    assert said in output
    assert len(output.strip().splitlines()) == 1


def test_every_kind_has_an_example_that_computes(client: TestClient) -> None:
    assert set(EXAMPLES) == set(KINDS)
    page = client.get("/api/docs").text
    for kind, data in EXAMPLES.items():
        assert compute(kind, data)
        assert f'id="try-{kind}"' in page


ABSURD: list[Any] = [None, [], "text", 5, {}, {"values": [1e999]}, {"values": ["x"] * 10_000}, {"points": {"": 1}}]


@pytest.mark.parametrize("kind", KINDS)
def test_nonsense_is_refused_and_never_breaks(client: TestClient, kind: str) -> None:
    for data in ABSURD:
        answer = client.post(f"/api/compute/{kind}", content=json.dumps(data))
        assert answer.status_code == 422, answer.text
        assert answer.json()["field"]
    assert client.post(f"/api/compute/{kind}", content=b"{").status_code == 400
    assert client.post(f"/api/compute/{kind}", content=b"[" * 50_000).status_code in (400, 422)
    for part in ("input", "result"):
        schema = client.get(f"/schemas/{kind}.{part}.json").json()
        assert schema.get("type") == "object" or schema["oneOf"]


@pytest.mark.parametrize(
    ("given", "match"),
    [
        (["--certificate", "none.pem"], "certificate"),
        (["--key", "none.pem"], "certificate"),
        (["--certificate", "FILE", "--key", "FILE"], "its key"),
    ],
)
def test_a_certificate_that_cannot_serve_is_refused_before_anything_starts(
    tmp_path: Path, given: list[str], match: str
) -> None:
    (tmp_path / "a.pem").write_text("no certificate\n")
    asked = [str(tmp_path / "a.pem") if one == "FILE" else one for one in given]
    run = subprocess.run(
        [sys.executable, "-m", "escuadra.cli", "serve", "--data", str(tmp_path / "data"), *asked],
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert run.returncode == 2
    assert match in run.stderr
    assert len(run.stderr.strip().splitlines()) == 1
    assert not (tmp_path / "data").exists()
