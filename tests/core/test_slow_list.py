"""The list of tests that are left to `make test-all`."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path

from tests.slow import is_slow, listed

ROOT = Path(__file__).parents[2]


def test_a_test_is_slow_by_its_name_or_its_modules_with_any_parameters():
    slow = frozenset({"tests/a.py::test_one", "tests/ui/b.py"})
    assert is_slow("tests/a.py::test_one", slow)
    assert is_slow("tests/a.py::test_one[x-1]", slow)
    assert is_slow("tests/ui/b.py::test_any[chromium]", slow)
    assert not is_slow("tests/a.py::test_one_more", slow)
    assert not is_slow("tests/a.py::test_two[tests/ui/b.py]", slow)


def test_the_list_names_what_is_there():
    """A test that was renamed would be run each time without anyone having decided so."""
    for name in listed():
        path, *inside = name.split("::")
        assert set(inside) <= _names_in(ROOT / path), name


@cache
def _names_in(path: Path) -> set[str]:
    return set(re.findall(r"^ *(?:def|class) (\w+)", path.read_text("utf-8"), re.MULTILINE))
