"""Names of files that leave: one place, whatever job numbers and bays are called (RFC 6266, RFC 8187)."""

import re
import unicodedata
from urllib.parse import quote


def _plain(name: str) -> str:
    """The name in ASCII for those who read no other: letters without accents, anything else a stroke."""
    bare = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return re.sub(r"[^A-Za-z0-9._ -]+", "-", bare).strip(" .-") or "file"


def named(name: str, ending: str, inline: bool = False) -> dict[str, str]:
    """The header that names a download; ``inline``: a browser may show it."""
    clean = "".join(c for c in name if c.isprintable())
    clean = re.sub(r"[/\\:*?\"<>|]+", "-", clean)[:100].strip(" .") or "file"
    said = f'{"inline" if inline else "attachment"}; filename="{_plain(clean)}.{ending}"'
    if clean != _plain(clean):
        said += f"; filename*=UTF-8''{quote(f'{clean}.{ending}', safe='')}"
    return {"Content-Disposition": said}
