"""Names of their own: what would be called like another gets a number."""

from __future__ import annotations

import re
from collections.abc import Iterable

LONGEST = 120


def numbered(name: str, taken: Iterable[str]) -> str:
    """The name itself where it is free, else with the first number that makes it free.

    >>> numbered("Wire, loop", ["Wire, loop", "Wire, loop 2"])
    'Wire, loop 3'
    """
    others = set(taken)
    if name not in others:
        return name
    base = re.sub(r" \d+$", "", name)
    number = 2
    while (found := f"{base[: LONGEST - len(str(number)) - 1]} {number}") in others:
        number += 1
    return found
