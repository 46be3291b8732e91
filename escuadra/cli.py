"""The command line: serve, demo, compute, verify, reindex, backup, restore.

Bad input prints one line that names the field and exits 2.
"""

import contextlib
import gc
import json
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

import typer

from escuadra.core.errors import BadInput

app = typer.Typer(
    add_completion=False,
    help="Measuring, judging and proving sensor calibration set-ups.",
    pretty_exceptions_enable=False,
)
Port = Annotated[int, typer.Option(help="port on loopback", min=1, max=65535)]
Host = Annotated[str, typer.Option(help="address to listen on; loopback unless told otherwise")]
Allow = Annotated[list[str] | None, typer.Option(help="a further name or address that browsers reach it by")]
Data = Annotated[Path, typer.Option(help="data folder")]


def clock() -> int:
    """UTC milliseconds."""
    return time.time_ns() // 1_000_000


@contextlib.contextmanager
def _loading() -> Iterator[None]:
    """Modules are made to stay: while they load, and ever after, nobody looks through them for garbage."""
    gc.disable()
    yield
    gc.freeze()
    gc.enable()


@contextlib.contextmanager
def _held(data: Path) -> Iterator[None]:
    """The data folder, for this process alone; one that was made for a start that failed does not stay."""
    from escuadra.store import dialect
    from escuadra.store.writers import folder_lock

    if data.exists() and not data.is_dir():
        raise BadInput("data", str(data), "a folder; this is a file")
    made = not data.exists()
    data.mkdir(parents=True, exist_ok=True)
    try:
        with folder_lock(data) if dialect.file_of(dialect.address(data)) else contextlib.nullcontext():
            yield
    finally:
        if made:
            with contextlib.suppress(OSError):
                data.rmdir()


@app.command()
def serve(port: Port = 8300, data: Data = Path("data/garage"), host: Host = "127.0.0.1", allow: Allow = None) -> None:
    """Serve a garage on the user's own data; an empty folder becomes an empty garage."""
    with _loading():
        import escuadra.web.app  # noqa: F401  (what serving needs, made at once)
        from escuadra.jobs import Garage

    with _held(data):
        _run(Garage(data, clock), host, port, allow)


@app.command()
def demo(
    port: Port = 8300,
    data: Data = Path("data/demo"),
    host: Host = "127.0.0.1",
    allow: Allow = None,
    devices: Annotated[bool, typer.Option(help="start stand-in devices beside it")] = True,
) -> None:
    """Serve the made-up garage of Valdehierro; never touches data that it did not create."""
    with _loading():
        import escuadra.web.app  # noqa: F401  (what serving needs, made at once)
        from escuadra.demo.valdehierro import open_demo

    with _held(data):
        garage = open_demo(data, clock)
        with _stand_ins() if devices and not os.environ.get("ESCUADRA_DEVICES") else contextlib.nullcontext():
            _run(garage, host, port, allow)


@contextlib.contextmanager
def _stand_ins() -> Iterator[None]:
    """The stand-in devices in a process of their own on a free port; they end when this process does."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "escuadra.cli", "devices", "--port", str(port), "--while-open"]
    child = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)
    os.environ["ESCUADRA_DEVICES"] = f"127.0.0.1:{port}"
    for _ in range(300):
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
            break
        time.sleep(0.1)
    try:
        yield
    finally:
        child.terminate()
        child.wait(10)


def _run(garage: object, host: str, port: int, allow: list[str] | None) -> None:
    import uvicorn

    from escuadra.jobs import Garage
    from escuadra.web.app import create_app

    assert isinstance(garage, Garage)
    for refused in garage.catalogue.refused:
        print(f"left out: {' '.join(str(refused).split())}", file=sys.stderr)
    print(f"Escuadra: http://{host}:{port}/   data in {garage.data.resolve()}", flush=True)
    uvicorn.run(
        create_app(garage, (host, *(allow or ()))),
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=2,
    )


@app.command()
def devices(
    port: Port = 8311,
    host: Host = "127.0.0.1",
    while_open: Annotated[bool, typer.Option(help="end when standard input is closed")] = False,
) -> None:
    """Stand-in devices on loopback: distance meter, digital level, camera rig; see docs/devices.md."""
    import asyncio

    from escuadra.catalogue import load
    from escuadra.catalogue.library import PRACTICE
    from escuadra.core.job.places import Plan
    from escuadra.devices import stand_in

    catalogue = load([PRACTICE])

    def plan_of(procedure: str, frame: str) -> Plan:
        sheet = catalogue.get("procedure", procedure).content
        targets = {id: catalogue.get("target", id).content for id in sheet.targets}
        vehicle, target = catalogue.get("vehicle", sheet.vehicle).content, targets[sheet.mounting.target]
        return Plan(sheet, vehicle, target, catalogue.get("frame", frame).content, targets=targets)

    if while_open:
        threading.Thread(target=lambda: (sys.stdin.read(), os._exit(0)), daemon=True).start()
    print(f"Stand-in devices: {host}:{port}   a garage finds them by ESCUADRA_DEVICES={host}:{port}", flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(stand_in.serve(stand_in.StandIn(plan_of), host, port))


@app.command()
def compute(kind: str, file: str) -> None:
    """Compute a kind from a JSON file (- reads standard input)."""
    from escuadra.core.given import json_data
    from escuadra.core.kinds import compute as run

    try:
        text = sys.stdin.buffer.read() if file == "-" else Path(file).read_bytes()
    except OSError as error:
        raise BadInput("file", file, f"a file that can be read ({error.strerror})") from error
    data = json_data(text, "file")
    print(json.dumps(run(kind, data), allow_nan=False))


@app.command()
def verify(
    data: Data = Path("data/garage"),
    stream: Annotated[str | None, typer.Option(help="one stream alone, such as visit/ID or instrument/ID")] = None,
) -> None:
    """Hold all streams, the journal, pins, files and rows against each other; names whatever was changed."""
    from escuadra.store import FileStore, Store, dialect
    from escuadra.store.verification import Verification

    if not dialect.there(data):
        raise BadInput("data", str(data), "a folder with a garage")
    wrong = 0

    def progress(count: int) -> None:
        print(f"{count} events", file=sys.stderr, flush=True)

    with contextlib.closing(Store(dialect.address(data), read_only=True)) as store:
        walk = Verification(store.engine, FileStore(data / "files"), progress)
        for found in walk.wrongs(stream):
            wrong += 1
            print(found, flush=True)
    if wrong:
        raise typer.Exit(1)
    print(f"{walk.entries} events in {walk.streams} streams are as they were written, and all that they name.")


@app.command()
def reindex(data: Data = Path("data/garage")) -> None:
    """Make lists, numbers and indexes anew from the streams."""
    from escuadra.store import Store, dialect

    if not dialect.there(data):
        raise BadInput("data", str(data), "a folder with a garage")
    with _held(data), contextlib.closing(Store(dialect.address(data), data / "backups")) as store:
        print(f"{store.reindex()} events read; everything that follows from them was made anew.")


@app.command()
def backup(to: Annotated[Path, typer.Argument(help="file to write, .tar")], data: Data = Path("data/garage")) -> None:
    """Copy a garage into one file, also while it is served: its database as of one moment, its files, its catalogue."""
    from escuadra.store.backup import back_up

    count = back_up(data, to)
    print(f"{to}: the database and {count} files. Try it: escuadra restore --check {to}")


@app.command()
def restore(
    file: Annotated[Path, typer.Argument(help="a backup")],
    data: Data = Path("data/restored"),
    check: Annotated[bool, typer.Option("--check", help="only try it: nothing is kept")] = False,
) -> None:
    """Bring a backup back into a new folder, and verify it there."""
    from escuadra.store.backup import put_back, trial_folder

    with trial_folder() if check else contextlib.nullcontext(data) as folder:
        put_back(file, folder)
        verify(folder, None)
    print(f"{file} can be restored; nothing was kept." if check else f"restored into {data}")


def main() -> None:
    """Entry point; refusals become one line and exit 2."""
    try:
        app()
    except BadInput as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        sys.exit(2)
    except OSError as error:
        print(f"{error.filename or 'disk'}: {error.strerror or error}", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    main()
