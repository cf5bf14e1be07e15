"""A chain of effects as a document of its own: kept under a name, and in files.

Examples
--------
>>> parse_chain({"name": "Hall", "effects": [{"id": "e1", "kind": "room"}]}).effects[0].kind
'room'
"""

from __future__ import annotations

from typing import Any, Literal

from innerbloom.core.declare.model import Model, Name, json_text
from innerbloom.core.declare.validation import validated
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.mixing import Effects


class Chain(Model):
    """Effects, one after another; what they listen to is left out."""

    format: Literal["inner-bloom/chain"] = "inner-bloom/chain"
    version: Literal[1] = 1
    name: Name
    effects: Effects


def parse_chain(data: Any) -> Chain:
    """Validate a chain, given as plain data or JSON text.

    Raises
    ------
    DocumentError
        One sentence that names the path of the first thing wrong.
    """
    plain = json_text(data, "This is not a chain of effects", DocumentError)
    chain = validated(Chain, plain, "chain")
    if not chain.effects:
        raise DocumentError("A chain has at least one effect.")
    for effect in chain.effects:
        effect.listens_to = None
    return chain
