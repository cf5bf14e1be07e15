"""The handbook says what the screen says, and its pictures are there."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from innerbloom.core.declare.parameters import Choice
from innerbloom.core.deliver.variation_settings import VARIATIONS

ROOT = Path(__file__).parents[2]
PAGES = sorted((ROOT / "docs" / "handbook").glob("*.md"))
SCREEN = "\n".join(
    path.read_text("utf-8")
    for path in (ROOT / "frontend" / "src").rglob("*")
    if path.suffix in (".vue", ".ts") and "schema" not in path.name
)
WORDS = {option for one in VARIATIONS if isinstance(one, Choice) for option in one.options}


def test_there_is_a_page_for_every_step():
    names = [re.sub(r"^\d+-|\.md$", "", path.name) for path in PAGES]
    assert names[0] == "start"
    assert {"field", "bench", "instrument", "takes", "deliver"} <= set(names)
    for path in PAGES[1:]:
        assert "## Example" in path.read_text("utf-8"), path.name


@pytest.mark.parametrize("page", PAGES, ids=lambda path: path.name)
def test_what_it_calls_a_button_is_called_so_on_screen(page):
    bold = re.findall(r"\*\*([^*]+)\*\*", page.read_text("utf-8"))
    assert bold
    missing = [one for one in bold if one.strip() not in SCREEN and one not in WORDS]
    assert missing == []


@pytest.mark.parametrize("page", PAGES, ids=lambda path: path.name)
def test_its_pictures_are_there(page):
    for name in re.findall(r"!\[[^\]]+\]\(([^)]+)\)", page.read_text("utf-8")):
        assert (page.parent / name).resolve().is_file(), name
