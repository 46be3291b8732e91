"""A catalogue of 5,000 sheets: starting, opening *New visit*, and searching, beside the same with what ships."""

import gc
import statistics
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from fastapi.testclient import TestClient

from escuadra.catalogue.library import PRACTICE, Entry, entry, load
from escuadra.commands import Garage
from escuadra.commands.desk import form_for
from escuadra.commands.people import AddPerson
from escuadra.core.authoring.life import EntryTaken
from escuadra.core.authoring.writing import words_of
from escuadra.core.base.stream import ITSELF
from escuadra.core.house import entry_stream
from escuadra.store import Content
from escuadra.web.app import create_app

SHEETS, MODELS = 5_000, 250
ROUNDS, STARTS = 9, 7
NOON = 1_764_072_000_000


def entries() -> list[Entry]:
    """Sheets and models like those that ship, under ids of their own."""
    known = load([PRACTICE])
    model, sheet = known.get("vehicle", "quillon-risco").content, known.get("procedure", "QR-CAM-01").content
    models = [
        model.model_copy(update={"id": f"model-{k}", "name": f"Quillon {k}", "years": [1990 + k % 40]})
        for k in range(MODELS)
    ]
    sheets = [
        sheet.model_copy(update={"id": f"S-{k}", "title": f"Camera {k}", "vehicle": f"model-{k % MODELS}"})
        for k in range(SHEETS)
    ]
    return [entry("vehicle", one) for one in models] + [entry("procedure", one) for one in sheets]


def median_ms(what: Callable[[], object], rounds: int = ROUNDS) -> float:
    """How long it usually takes."""
    told = []
    for _ in range(rounds):
        begun = time.perf_counter()
        what()
        told.append(1000 * (time.perf_counter() - begun))
    return statistics.median(told)


def filled(folder: Path) -> None:
    """A garage into which all of them were taken."""
    garage = Garage(folder, lambda: NOON)
    garage.do(AddPerson("teo", "Teo", "lead"), ITSELF, "person")
    who = garage.person("teo")
    with garage.store.writing() as log:
        for one in entries():
            log.pins.put(Content.of(one.kind, one.id, one.content))
            words = words_of(form_for(one.kind), one.content.model_dump(mode="json", exclude_none=True))
            taken = EntryTaken(
                kind=one.kind, id=one.id, revision=1, hash=one.hash, bundle="", fields=words.texts,
                parts={way: list(keys) for way, keys in words.parts.items()},
            )  # fmt: skip
            log.streams.enter(entry_stream(one.kind, one.id), "taken", NOON, who, taken)
    garage.close()


def started(folder: Path) -> float:
    """Milliseconds from nothing to the first page; what lies about from before is swept away first."""

    def start() -> None:
        garage = Garage(folder, lambda: NOON)
        assert TestClient(create_app(garage), base_url="http://127.0.0.1").get("/").status_code == 200
        garage.close()

    gc.collect()
    return median_ms(start, 1)


def start_ratio(many: Path, few: Path) -> float:
    """How much longer one takes to start than the other: by turns, so that both meet the machine as it is."""
    started(few)
    pairs = [(started(many), started(few)) for _ in range(STARTS)]
    return statistics.median(one for one, _ in pairs) / statistics.median(other for _, other in pairs)


def ratios() -> tuple[float, float]:
    """With 5,000 sheets: start ÷ start with what ships; the slower of new visit and search ÷ a bare page."""
    with TemporaryDirectory() as folder:
        few, many = Path(folder) / "few", Path(folder) / "many"
        Garage(few, lambda: NOON).close()
        filled(many)
        ratio = start_ratio(many, few)
        garage = Garage(many, lambda: NOON)
        begun = time.perf_counter()
        first = sum(len(found) for found in garage.catalogue.searched.values())
        read = 1000 * (time.perf_counter() - begun)
        client = TestClient(create_app(garage), base_url="http://127.0.0.1")
        bare = median_ms(lambda: client.get("/customers"))
        opened = median_ms(lambda: client.get("/jobs/new"))
        found = median_ms(lambda: client.get("/jobs/new/choices?find=camera+quillon+7"))
        listed = median_ms(lambda: client.get("/catalogue?q=camera+77"))
        garage.close()
    print(f"{first} entries made searchable when first asked for: {read:.0f} ms")
    print(f"new visit {opened:.1f} ms, search {found:.1f} ms, catalogue {listed:.1f} ms, bare page {bare:.1f} ms")
    return ratio, max(opened, found) / bare


if __name__ == "__main__":
    print("start_ratio_5000 {:.2f}, catalogue_ratio {:.2f}".format(*ratios()))
