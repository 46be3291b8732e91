"""A garage served in a process of its own on a throw-away folder, for load and fuzz."""

import contextlib
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path


@contextlib.contextmanager
def served(command: str = "demo") -> Iterator[tuple[str, Path]]:
    """Address and data folder of a running server; both are gone afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="escuadra-"))
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    arguments = [sys.executable, "-m", "escuadra.cli", command, "--port", str(port), "--data", str(folder / "data")]
    log = (folder / "log").open("w")
    process = subprocess.Popen([*arguments, *(["--no-devices"] if command == "demo" else [])], stderr=log)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(1200):
            with contextlib.suppress(OSError), urllib.request.urlopen(f"{address}/healthz", timeout=2):
                break
            time.sleep(0.1)
        yield address, folder / "data"
    finally:
        process.terminate()
        process.wait(30)
        log.close()
        told = (folder / "log").read_text()
        if "Traceback" in told:
            print(told[-4000:], file=sys.stderr)
        shutil.rmtree(folder)
