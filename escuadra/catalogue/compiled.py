"""``make words``: the practice catalogue as the JSON that is read at start; a test makes it again and compares."""

import json
from dataclasses import asdict

from escuadra.catalogue.library import COMPILED, PRACTICE, read


def compiled() -> str:
    """Every practice entry with its hash, what a list tells of it, and its content; raises for a refused file."""
    entries, refused = read(PRACTICE)
    for error in refused:
        raise error
    told = [
        {"kind": one.kind, "id": one.id, "revision": one.revision, "hash": one.hash, "told": asdict(one.head)}
        | {"content": one.content.model_dump(mode="json")}
        for one in entries.values()
    ]
    return json.dumps(told, ensure_ascii=False, indent=0) + "\n"


if __name__ == "__main__":
    COMPILED.write_text(compiled(), encoding="utf-8")
