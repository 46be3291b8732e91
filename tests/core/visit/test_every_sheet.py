"""Every practice sheet comes to its signature: what it says next is done, in a bay where things truly stand."""

from pathlib import Path

import pytest

from escuadra.catalogue import Catalogue
from tests.golden.methods import FILE, all_told
from tests.golden.sheets import BASE, HERE, SHEETS, file_of, kept, told_apart
from tests.golden.test_golden import as_kept


@pytest.mark.parametrize("sheet", SHEETS)
def test_what_is_next_leads_to_a_signature(catalogue: Catalogue, sheet: str, tmp_path: Path) -> None:
    """And all that it tells, on the way and in the end, is what it told before, line by line and figure by figure."""
    as_kept(file_of(sheet), told_apart(catalogue, sheet, tmp_path, kept(file_of(BASE))))


def test_what_is_kept_is_of_sheets_that_there_are() -> None:
    assert {file.stem for file in HERE.iterdir()} == {*SHEETS}


def test_every_method_asks_enters_and_tells_what_it_did(catalogue: Catalogue, tmp_path: Path) -> None:
    as_kept(FILE, all_told(catalogue, tmp_path))
