"""Names by a template, and names of their own: what would be called like another gets a number."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from innerbloom.core.errors import BloomError

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


def by_template(template: str, fields: Mapping[str, str]) -> str:
    """A template with its fields filled in.

    Raises
    ------
    BloomError
        If the template has a field that there is not.

    Examples
    --------
    >>> by_template("{place} {number}", {"place": "Sluice", "number": "007"})
    'Sluice 007'
    """

    def filled(match: re.Match[str]) -> str:
        if match[1] not in fields:
            known = ", ".join(f"{{{one}}}" for one in fields)
            raise BloomError(f"There is no {{{match[1]}}} for names: {known} can be used.")
        return fields[match[1]]

    return re.sub(r"\{([^{}]*)\}", filled, template)
