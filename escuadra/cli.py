"""The command line: serve, demo, compute, trace, verify, reindex, backup, restore.

Bad input prints one line that names the field and exits 2.
"""

import contextlib
import gc
import json
import os
import socket
import ssl
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated

import typer

from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.said import said
from escuadra.words import FALLBACK, languages, say, speaking

app = typer.Typer(
    add_completion=False,
    help="Measuring, judging and proving sensor calibration set-ups.",
    pretty_exceptions_enable=False,
)
Port = Annotated[int, typer.Option(help="port on loopback", min=1, max=65535)]
Host = Annotated[str, typer.Option(help="address to listen on; loopback unless told otherwise")]
Allow = Annotated[list[str] | None, typer.Option(help="a further name or address that browsers reach it by")]
Data = Annotated[Path, typer.Option(help="data folder")]
Certificate = Annotated[Path | None, typer.Option(help="PEM file: served by HTTPS, so that a phone may record a drive")]
Key = Annotated[Path | None, typer.Option(help="PEM file with the certificate's key")]

SELDOM = 20_000, 20, 20
"""How many new things await a look for garbage, and how many looks one at what is older."""


def clock() -> int:
    """UTC milliseconds."""
    return time.time_ns() // 1_000_000


@contextlib.contextmanager
def _loading() -> Iterator[None]:
    """Modules are made to stay: while they load, and ever after, nobody looks through them for garbage."""
    gc.disable()
    yield
    gc.freeze()
    gc.set_threshold(*SELDOM)
    gc.enable()


@contextlib.contextmanager
def _held(data: Path) -> Iterator[None]:
    """The data folder, for this process alone; one that was made for a start that failed does not stay."""
    from escuadra.store import dialect
    from escuadra.store.writers import folder_lock

    if data.exists() and not data.is_dir():
        raise BadInput("data", str(data), said("wants.folder_file"))
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
def serve(
    port: Port = 8300,
    data: Data = Path("data/garage"),
    host: Host = "127.0.0.1",
    allow: Allow = None,
    certificate: Certificate = None,
    key: Key = None,
) -> None:
    """Serve a garage on the user's own data; an empty folder becomes an empty garage."""
    secured = _secured(certificate, key)
    with _loading():
        import escuadra.web.app  # noqa: F401  (what serving needs, made at once)
        from escuadra.commands import Garage

    with _held(data):
        _run(Garage(data, clock), host, port, allow, secured)


@app.command()
def demo(
    port: Port = 8300,
    data: Data = Path("data/demo"),
    host: Host = "127.0.0.1",
    allow: Allow = None,
    devices: Annotated[bool, typer.Option(help="start stand-in devices beside it")] = True,
    past: Annotated[bool, typer.Option(help="two years of past visits, written at the first start")] = True,
    certificate: Certificate = None,
    key: Key = None,
) -> None:
    """Serve the made-up garage of Valdehierro; never touches data that it did not create."""

    def told(done: int, of: int) -> None:
        typer.echo(say(said("cli.past_visits", done=done, of=of)), err=True)

    secured = _secured(certificate, key)
    wanted = devices and not os.environ.get("ESCUADRA_DEVICES")
    with _held(data), _stand_ins() if wanted else contextlib.nullcontext(lambda: None) as ready:
        with _loading():
            import escuadra.web.app  # noqa: F401  (what serving needs, made at once)
            from escuadra.demo.past import PAST_VISITS
            from escuadra.demo.valdehierro import open_demo

        garage = open_demo(data, clock, PAST_VISITS if past else 0, told)
        ready()
        _run(garage, host, port, allow, secured)


@contextlib.contextmanager
def _stand_ins() -> Iterator[Callable[[], None]]:
    """The stand-in devices in a process of their own on a free port; they end when this process does.

    They start while this one goes on; what is given waits until they answer.
    """
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "escuadra.cli", "devices", "--port", str(port), "--while-open"]
    child = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)
    os.environ["ESCUADRA_DEVICES"] = f"127.0.0.1:{port}"

    def ready() -> None:
        for _ in range(300):
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
                break
            time.sleep(0.1)

    try:
        yield ready
    finally:
        child.terminate()
        child.wait(10)


def _secured(certificate: Path | None, key: Path | None) -> tuple[Path, Path] | None:
    """Certificate and key, where both are given and fit; raises ``BadInput``."""
    if certificate is None and key is None:
        return None
    for name, path in (("certificate", certificate), ("key", key)):
        if path is None or not path.is_file():
            raise BadInput(name, str(path or ""), said("wants.pem_file"))
    assert certificate is not None
    assert key is not None
    try:
        ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(certificate, key)
    except (ssl.SSLError, OSError) as error:
        raise BadInput("certificate", str(certificate), said("wants.certificate_with_key")) from error
    return certificate, key


def _run(
    garage: object, host: str, port: int, allow: list[str] | None, secured: tuple[Path, Path] | None = None
) -> None:
    import uvicorn

    from escuadra.commands import Garage
    from escuadra.web.app import create_app

    assert isinstance(garage, Garage)
    for refused in garage.catalogue.refused:
        print(say(said("cli.left_out", why=refusal(refused))), file=sys.stderr)
    where = {"scheme": "https" if secured else "http", "host": host, "port": str(port)}
    print(say(said("cli.escuadra_http_data", **where, folder=str(garage.data.resolve()))), flush=True)
    uvicorn.run(
        create_app(garage, (host, *(allow or ()))),
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=2,
        ssl_certfile=secured[0] if secured else None,
        ssl_keyfile=secured[1] if secured else None,
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
    from escuadra.catalogue.library import PRACTICE, plan_from
    from escuadra.core.visit.plan import Plan
    from escuadra.devices import stand_in

    catalogue = load([PRACTICE])

    def plan_of(procedure: str, frame: str) -> Plan:
        sheet = catalogue.get("procedure", procedure).content
        return plan_from(catalogue, sheet, catalogue.get("frame", frame).content)

    if while_open:
        threading.Thread(target=lambda: (sys.stdin.read(), os._exit(0)), daemon=True).start()
    print(say(said("cli.stand_devices_garage_finds_them", host=host, port=str(port))), flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(stand_in.serve(stand_in.StandIn(plan_of), host, port))


@app.command()
def compute(kind: str, file: str) -> None:
    """Compute a kind from a JSON file (- reads standard input)."""
    from escuadra.core.base.given import json_data
    from escuadra.core.calculations import compute as run

    try:
        text = sys.stdin.buffer.read() if file == "-" else Path(file).read_bytes()
    except OSError as error:
        raise BadInput("file", file, said("wants.file_can_read", why=str(error.strerror))) from error
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
        raise BadInput("data", str(data), said("wants.folder_garage"))
    wrong = 0

    def progress(count: int) -> None:
        print(say(said("cli.events", count=count)), file=sys.stderr, flush=True)

    with contextlib.closing(Store(dialect.address(data), read_only=True)) as store:
        walk = Verification(store.engine, FileStore(data / "files"), progress)
        for found in walk.wrongs(stream):
            wrong += 1
            print(say(found.said), flush=True)
    if wrong:
        raise typer.Exit(1)
    print(say(said("cli.events_streams_they_written_all", entries=walk.entries, streams=walk.streams)))


@app.command()
def reindex(data: Data = Path("data/garage")) -> None:
    """Make lists, numbers and indexes anew from the streams."""
    from escuadra.store import Store, dialect

    if not dialect.there(data):
        raise BadInput("data", str(data), said("wants.folder_garage"))
    with _held(data), contextlib.closing(Store(dialect.address(data), data / "backups")) as store:
        print(say(said("cli.events_read_everything_follows_them", count=store.reindex())))


@app.command()
def trace(
    visit: Annotated[str, typer.Argument(help="a visit's number, or its id")], data: Data = Path("data/demo")
) -> None:
    """What works out a visit's sheet: each module in its order, what it took, what it gave; also while it is served."""
    from escuadra.commands.house import House
    from escuadra.commands.trace import traced
    from escuadra.store import Store, dialect

    if not dialect.there(data):
        raise BadInput("data", str(data), said("wants.folder_garage"))
    with contextlib.closing(House(data, clock, store=Store(dialect.address(data), read_only=True))) as house:
        with house.store.reading() as log:
            id = next((row.id for row in log.rows(10_000, 0) if visit in (row.id, row.number)), "")
        if not id:
            raise BadInput("visit", visit, said("wants.job_garage"))
        watched = traced(house.open(id), clock())
    for one in watched.asked:
        again = f" x{one.times}" if one.times > 1 else ""
        print(f"{'  ' * one.depth}{one.module}: {one.function}({', '.join(one.took)}) -> {one.gave}{again}")
    print(say(said("cli.traced", modules=len(watched.modules), asked=len(watched.asked), calls=watched.calls)))


@app.command()
def backup(to: Annotated[Path, typer.Argument(help="file to write, .tar")], data: Data = Path("data/garage")) -> None:
    """Copy a garage into one file, also while it is served: its database as of one moment, its files, its catalogue."""
    from escuadra.store.backup import back_up

    count = back_up(data, to)
    print(say(said("cli.database_files_try_escuadra_restore", to=str(to), count=count)))


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
    print(say(said("cli.restorable", file=str(file)) if check else said("cli.restored_into", data=str(data))))


def _tongue() -> str:
    """The language that the shell asks for, where there is one of it."""
    asked = os.environ.get("LC_ALL") or os.environ.get("LANG") or ""
    return asked[:2] if asked[:2] in languages() else FALLBACK


def main() -> None:
    """Entry point; refusals become one line and exit 2."""
    try:
        with speaking(_tongue()):
            app()
    except BadInput as error:
        print(" ".join(say(refusal(error)).split()), file=sys.stderr)
        sys.exit(2)
    except OSError as error:
        print(f"{error.filename or 'disk'}: {error.strerror or error}", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    main()
