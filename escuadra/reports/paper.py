"""What every printed sheet shares: its templates, drawings with their styles inside, and the way to PDF/UA."""

from datetime import datetime
from pathlib import Path
from typing import Any

from markupsafe import Markup

import escuadra
from escuadra.words.pages import Templates

ROOT = Path(escuadra.__file__).parent
TEMPLATES = ROOT / "reports" / "templates"


SHEETS = Templates(TEMPLATES)


def styled(svg: str) -> Markup:
    """A drawing with its styles inside it: a page's own do not reach into one that is printed or taken out."""
    style = (TEMPLATES / "drawing.css").read_text(encoding="utf-8")
    return Markup(svg.replace(">", f"><style>{style}</style>", 1))


def printed(template: str, **values: Any) -> bytes:
    """The PDF of a template with what it says."""
    from weasyprint import HTML

    text = SHEETS.get_template(template).render(**values)
    pdf: bytes = HTML(string=text, base_url=str(ROOT)).write_pdf(pdf_variant="pdf/ua-1")
    return pdf


def kept_for_good(template: str, data: bytes, name: str, about: str, made: datetime, **values: Any) -> bytes:
    """The same for an archive (PDF/A-3b, ISO 19005-3), with its data inside as a file.

    ``made``: of the data, which the page stands for.
    """
    from weasyprint import HTML, Attachment

    text = SHEETS.get_template(template).render(**values)
    inside = Attachment(string=data, name=name, description=about, relationship="Source", created=made, modified=made)
    page = HTML(string=text, base_url=str(ROOT))
    pdf: bytes = page.write_pdf(pdf_variant="pdf/a-3b", attachments=[inside])
    return pdf
