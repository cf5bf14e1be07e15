"""The ``bloom`` command, as tests call it."""

from __future__ import annotations

import json
from typing import Any

from click.testing import CliRunner, Result

from innerbloom.cli.main import main


def bloom(*words: object) -> Result:
    """Run a command in this process; paths and numbers may be given as they are."""
    return CliRunner().invoke(main, [str(word) for word in words])


def lines(done: Result) -> list[dict[str, Any]]:
    """What a command printed with ``--json``: an object a line."""
    return [json.loads(line) for line in done.stdout.splitlines()]
