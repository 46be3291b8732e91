"""What no page may load: it stays in memory for good."""

import subprocess
import sys
from pathlib import Path

from tests.conftest import DEMO_DAY

WALK = f"""
import sys
from pathlib import Path
from fastapi.testclient import TestClient
from escuadra.demo.valdehierro import open_demo
from escuadra.web.app import create_app
from tests.golden import dump

dump.LOOKED_AT, dump.CHECKS_LOOKED_AT = 1, {{}}
with TestClient(create_app(open_demo(Path(sys.argv[1]), lambda: {DEMO_DAY})), base_url="http://127.0.0.1") as client:
    client.cookies.set("escuadra_person", "teo")
    walked = []
    for path, text in dump.pages(client):
        walked.append(path)
        assert "That did not work" not in text, path
        heavy = [name for name in ("scipy", "weasyprint", "matplotlib") if name in sys.modules]
        assert not heavy, (path, heavy)
print(len(walked))
"""


def test_no_page_loads_what_is_heavy(demo_then: Path) -> None:
    found = subprocess.run(
        [sys.executable, "-c", WALK, str(demo_then)],
        capture_output=True,
        text=True,
        cwd=Path(__file__).parents[2],
        check=False,
    )
    assert found.returncode == 0, found.stderr[-1500:]
    assert int(found.stdout) > 40
