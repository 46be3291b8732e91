"""The command line: serve, demo, compute, verify. Bad input prints one line that names the field and exits 2."""

import json
import sys
import time
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
Data = Annotated[Path, typer.Option(help="data folder")]


def clock() -> int:
    """UTC milliseconds."""
    return time.time_ns() // 1_000_000


@app.command()
def serve(port: Port = 8300, data: Data = Path("data/garage"), host: Host = "127.0.0.1") -> None:
    """Serve a garage on the user's own data; an empty folder becomes an empty garage."""
    from escuadra.jobs import Garage

    _run(Garage(data, clock), host, port)


@app.command()
def demo(port: Port = 8300, data: Data = Path("data/demo"), host: Host = "127.0.0.1") -> None:
    """Serve the made-up garage of Valdehierro; never touches data that it did not create."""
    from escuadra.demo.valdehierro import open_demo

    _run(open_demo(data, clock), host, port)


def _run(garage: object, host: str, port: int) -> None:
    import uvicorn

    from escuadra.jobs import Garage
    from escuadra.web.app import create_app

    assert isinstance(garage, Garage)
    print(f"Escuadra: http://{host}:{port}/   data in {garage.data.resolve()}", flush=True)
    uvicorn.run(create_app(garage), host=host, port=port, log_level="warning", timeout_graceful_shutdown=2)


@app.command()
def compute(kind: str, file: str) -> None:
    """Compute a kind from a JSON file (- reads standard input)."""
    from escuadra.core.kinds import compute as run

    try:
        text = sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8")
        data = json.loads(text)
    except OSError as error:
        raise BadInput("file", file, f"a file that can be read ({error.strerror})") from error
    except (ValueError, RecursionError) as error:
        raise BadInput("file", file, f"one JSON object ({error})") from error
    print(json.dumps(run(kind, data), allow_nan=False))


@app.command()
def verify(data: Data = Path("data/garage")) -> None:
    """Walk all logs and stored records; names the first event that was changed, and what is missing at the end."""
    from escuadra.core.job.state import State, fold
    from escuadra.store import FileStore, Store, dialect

    address = dialect.address(data)
    if not dialect.there(data):
        raise BadInput("data", str(data), "a folder with a garage")
    store, files, wrong, jobs = Store(address), FileStore(data / "files"), 0, 0
    with store.reading() as log:
        for broken in log.verify():
            wrong += 1
            print(f"{broken.number} ({broken.job}): event {broken.seq}: {broken.what}")
        for row in log.rows(limit=1_000_000):
            jobs += 1
            try:
                for signed, _, _ in fold(State(), log.events(row.id)).records:
                    files.get(signed.record_json)
                    files.get(signed.record_pdf)
            except ValueError as error:
                wrong += 1
                print(f"{row.number} ({row.id}): {error}")
    store.close()
    if wrong:
        raise typer.Exit(1)
    print(f"{jobs} logs and their records are as they were written.")


def main() -> None:
    """Entry point; refusals become one line and exit 2."""
    try:
        app()
    except BadInput as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    main()
