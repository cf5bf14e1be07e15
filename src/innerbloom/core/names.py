"""Names by a template, names of their own, and names for files: what would be called like another gets a number."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping

from innerbloom.core.errors import BloomError

LONGEST = 120
_MOST_BYTES = 180
"""Of a file's name: most systems take 255, and what is put before and behind it has to fit in."""

_REFUSED = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f\ud800-\udfff]+')
_DEVICES = re.compile(r"(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])", re.IGNORECASE)


def numbered(
    name: str, taken: Iterable[str], *, alike: Callable[[str], str] = lambda one: one
) -> str:
    """The name itself where it is free, else with the first number that makes it free.

    Parameters
    ----------
    alike : callable
        Gives the same for names that count as one: ``str.casefold`` for those of files.

    Examples
    --------
    >>> numbered("Wire, loop", ["Wire, loop", "Wire, loop 2"])
    'Wire, loop 3'
    """
    others = {alike(one) for one in taken}
    if alike(name) not in others:
        return name
    base = re.sub(r" \d+$", "", name)
    number = 2
    while alike(found := f"{base[: LONGEST - len(str(number)) - 1]} {number}") in others:
        number += 1
    return found


def safe_stem(text: str, longest: int = LONGEST) -> str:
    """A text as the name of a file on any system, without its suffix.

    Windows refuses some signs, ends in a dot or a space, and the names of devices ("Naming Files, Paths,
    and Namespaces", Microsoft); Linux counts bytes, of which a sign may take four.

    Raises
    ------
    BloomError
        If nothing is left of it.
    """
    stem = _REFUSED.sub("_", text).strip(" ._")[:longest]
    stem = stem.encode()[:_MOST_BYTES].decode(errors="ignore").rstrip(" ._")
    if not stem:
        raise BloomError("Nothing is left of the name: put {name} or {number} into it.")
    device = _DEVICES.fullmatch(stem.partition(".")[0].rstrip())
    return f"_{stem}" if device else stem


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
