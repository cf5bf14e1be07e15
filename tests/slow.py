"""Which tests `make test` leaves to `make test-all`: those that take longest, by what they took.

``python tests/slow.py stage1.xml ui.xml`` writes the list anew from reports of ``pytest --junitxml``: tests
that took more than some seconds, and stories, which go on from one another, by whole modules.
"""

from __future__ import annotations

import sys
from collections import defaultdict
from pathlib import Path
from xml.etree import ElementTree

LIST = Path(__file__).with_name("slow.txt")
MOST_S = 2.0
"""A test that takes longer, all its parameters together, is slow."""

STORIES = "tests/ui/"
CRASHES = "tests/trust/"
"""Kills, full disks and hostile input: all of it is left to make test-all, and to make trust."""

QUICK_STORIES = (
    "test_story", "test_slow_story", "test_movement_story", "test_mix_story", "test_snapshot_story",
)  # fmt: skip
"""What of the interface is looked at each time: the first steps, a slow network, what moves what."""


def listed() -> frozenset[str]:
    """Tests and modules that are slow, as pytest names them, without parameters."""
    return frozenset(LIST.read_text("utf-8").split()) if LIST.is_file() else frozenset()


def is_slow(name: str, slow: frozenset[str]) -> bool:
    """Whether a test is, by its node id.

    >>> is_slow("tests/core/test_demo.py::test_roots[rain]", frozenset({"tests/core/test_demo.py::test_roots"}))
    True
    """
    whole = name.partition("[")[0]
    return whole in slow or whole.partition("::")[0] in slow


def _taken(reports: list[Path]) -> dict[str, float]:
    """Seconds a test, its parameters together."""
    found: dict[str, float] = defaultdict(float)
    for report in reports:
        for case in ElementTree.parse(report).iter("testcase"):
            name = f"{_node(case.attrib['classname'])}::{case.attrib['name'].partition('[')[0]}"
            found[name] += float(case.attrib["time"])
    return found


def _node(dotted: str) -> str:
    """A module, and a class in it if there is one, as pytest names them."""
    parts = dotted.split(".")
    classes = [one for one in parts if one.startswith("Test")]
    module = "/".join(one for one in parts if one not in classes)
    return "::".join((f"{module}.py", *classes))


def main(reports: list[str]) -> None:
    taken = _taken([Path(one) for one in reports])
    slow = {
        name for name, seconds in taken.items() if seconds > MOST_S and not name.startswith(STORIES)
    }
    stories = {name.partition("::")[0] for name in taken if name.startswith(STORIES)}
    slow |= {one for one in stories if Path(one).stem not in QUICK_STORIES}
    slow |= {name.partition("::")[0] for name in taken if name.startswith(CRASHES)}
    LIST.write_text("".join(f"{name}\n" for name in sorted(slow)), "utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
