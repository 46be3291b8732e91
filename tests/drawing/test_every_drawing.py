"""Every drawing is what it was, element by element."""

from pathlib import Path

import pytest

from escuadra.catalogue import Catalogue
from tests.golden.drawings import HERE, SCENES, file_of, told
from tests.golden.test_golden import as_kept


@pytest.mark.parametrize("scene", SCENES)
def test_what_is_drawn_is_drawn_as_ever(catalogue: Catalogue, scene: str, tmp_path: Path) -> None:
    as_kept(file_of(scene), told(SCENES[scene](catalogue, tmp_path)))


def test_what_is_kept_is_of_scenes_that_there_are() -> None:
    assert {file.stem for file in HERE.iterdir()} == {*SCENES}
