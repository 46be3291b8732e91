"""Every practice sheet comes to its signature: what it says next is done, in a bay where things truly stand."""

import pytest

from escuadra.catalogue import Catalogue
from escuadra.catalogue.library import PRACTICE
from escuadra.rehearsal import rehearse
from tests.english import told

SHEETS = sorted(path.stem.upper() for path in (PRACTICE / "procedures").glob("*.yaml"))


@pytest.mark.parametrize("sheet", SHEETS)
def test_what_is_next_leads_to_a_signature(catalogue: Catalogue, sheet: str) -> None:
    done = rehearse(catalogue, sheet, "galga-2")
    assert done.signed, told(done.why) if done.why else done
