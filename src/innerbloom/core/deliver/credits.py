"""Credits: who recorded what is handed over, where, when and under which licence."""

from __future__ import annotations

import re
from collections.abc import Iterable

from pydantic import BaseModel, ConfigDict


class Credit(BaseModel):
    """One recording that is in what is handed over; what is not known is empty.

    Attributes
    ----------
    digest : str
        SHA-256 of the recording.
    """

    model_config = ConfigDict(extra="forbid")

    name: str
    digest: str = ""
    recordist: str = ""
    place: str = ""
    date: str = ""
    licence: str = ""


# as Creative Commons and SPDX write them, and as people do
_NON_COMMERCIAL = re.compile(r"\bNC\b|non-?\s?commercial", re.IGNORECASE)
_NO_DERIVATIVES = re.compile(r"\bND\b|no\s?-?derivatives?", re.IGNORECASE)


def warnings(credits: Iterable[Credit]) -> list[str]:
    """A sentence for each recording whose credits are incomplete or whose licence forbids use.

    Examples
    --------
    >>> warnings([Credit(name="Sluice", recordist="A. B.", licence="CC BY-ND 4.0")])
    ["The licence of 'Sluice' (CC BY-ND 4.0) allows no derivatives: what is made of it may not be passed on."]
    """
    said = []
    for one in credits:
        if asked := missing(one):
            said.append(asked)
        if _NO_DERIVATIVES.search(one.licence):
            said.append(
                f"The licence of '{one.name}' ({one.licence}) allows no derivatives: "
                "what is made of it may not be passed on."
            )
        if _NON_COMMERCIAL.search(one.licence):
            said.append(
                f"The licence of '{one.name}' ({one.licence}) is non-commercial: "
                "it may be in nothing that is sold."
            )
    return said


def missing(one: Credit) -> str:
    """A sentence that asks for what is not known of a recording; empty where all is.

    Examples
    --------
    >>> missing(Credit(name="Sluice", licence="CC0-1.0"))
    "It is not known of 'Sluice' who recorded it."
    """
    asked = [word for word, value in (("who recorded it", one.recordist),
                                      ("its licence", one.licence)) if not value]  # fmt: skip
    return f"It is not known of '{one.name}' {' and '.join(asked)}." if asked else ""


def credits_text(credits: Iterable[Credit]) -> str:
    """All credits as text, a line each.

    Examples
    --------
    >>> credits_text([Credit(name="Sluice", recordist="A. B.", place="Lock", licence="CC0-1.0")])
    'Sluice, recorded by A. B., Lock, CC0-1.0\\n'
    """
    lines = []
    for one in credits:
        by = f"recorded by {one.recordist}" if one.recordist else "recordist not known"
        licence = one.licence or "licence not known"
        lines.append(
            ", ".join(part for part in (one.name, by, one.place, one.date, licence) if part)
        )
    return "".join(f"{line}\n" for line in lines)
