"""How much is tried: a cut in ``make test``, all of it in ``make trust``; counts are printed at the end."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterator

import pytest

WHOLE = bool(os.environ.get("BLOOM_TRUST"))


def many(cut: int, whole: int) -> int:
    """How many to try now."""
    return whole if WHOLE else cut


class Tally:
    """Counts by their names, of one kind of trial."""

    def __init__(self, what: str) -> None:
        self.what, self.counts = what, Counter[str]()

    def __str__(self) -> str:
        told = ", ".join(f"{count} {name}" for name, count in sorted(self.counts.items()))
        return f"{self.what}: {told or 'nothing tried'}"


@pytest.fixture
def tally(request: pytest.FixtureRequest) -> Iterator[Tally]:
    """A count that is shown in the summary, under the name of its test."""
    made = Tally(request.node.name.removeprefix("test_").replace("_", " "))
    yield made
    # reports take it along from whatever process tries it
    request.node.user_properties.append(("tally", str(made)))


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    reports = [one for some in terminalreporter.stats.values() for one in some]
    told = {
        text: None
        for report in reports
        for name, text in getattr(report, "user_properties", ())
        if name == "tally"
    }
    if WHOLE and told:
        terminalreporter.section("counts")
        for text in told:
            terminalreporter.write_line(text)
