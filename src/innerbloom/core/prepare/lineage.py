"""What a prepared sound says of how it was made: `bext` coding history, and the recipe in `iXML`.

Coding history: one line a step of the chain, ended by CR LF, of fields with commas between (EBU R 98,
*Format for the CodingHistory field in Broadcast Wave Format files*, 1999; from memory). The recipe
stands whole in ``USER``, the free text of iXML 2.0, as JSON, so that it can be laid over the source again.
"""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from innerbloom.core.prepare.recipe import Recipe
from innerbloom.core.refusing import DECODER_ERRORS
from innerbloom.core.sound.metadata import append_chunk, find_chunk, read_history
from innerbloom.core.sound.writing import Format

_BITS: dict[str, int] = {"wav16": 16, "wav24": 24, "wav32f": 32}
_MODES = {1: "mono", 2: "stereo"}


@dataclass(frozen=True)
class Lineage:
    """Where a prepared sound comes from.

    Attributes
    ----------
    source : str
        Name of the file.
    sha256 : str
        Of its content.
    recipe : Recipe
    history : str
        The coding history that the source had.
    """

    source: str
    sha256: str
    recipe: Recipe
    history: str = ""

    def coding_history(self, form: Format, rate: int, channels: int) -> str:
        """The source's history and one line more; empty for formats that hold none."""
        if form not in _BITS:
            return ""
        steps = "; ".join(one.do for one in self.recipe.steps if one.on) or "nothing done"
        mode = _MODES.get(channels, f"{channels} channels")
        line = f"A=PCM,F={rate},W={_BITS[form]},M={mode},T=Inner Bloom: {steps}"
        before = f"{self.history.rstrip()}\r\n" if self.history.strip() else ""
        return f"{before}{line}\r\n"

    def plain(self, root: float | None) -> dict[str, Any]:
        """As it stands in the file; the root is a MIDI note, None for no clear pitch."""
        return {
            "source": self.source, "sha256": self.sha256, "root": root,
            "recipe": self.recipe.plain(),
        }  # fmt: skip


def lineage_of(source: Path, sha256: str, recipe: Recipe) -> Lineage:
    """The lineage of what a recipe makes of a file."""
    return Lineage(source.name, sha256, recipe, read_history(source))


def add_lineage(path: Path, lineage: Lineage, root: float | None) -> None:
    """Append an `iXML` chunk with the lineage to a plain WAV file, in place."""
    whole = ET.Element("BWFXML")
    ET.SubElement(whole, "IXML_VERSION").text = "2.0"
    ET.SubElement(whole, "NOTE").text = f"Made of {lineage.source}"
    ET.SubElement(whole, "USER").text = json.dumps(lineage.plain(root))
    append_chunk(path, b"iXML", ET.tostring(whole, "utf-8", xml_declaration=True))


def read_lineage(path: Path) -> dict[str, Any] | None:
    """What :func:`add_lineage` has written into a file; None where there is nothing of the kind."""
    try:
        data = find_chunk(path, b"iXML")
        if data is None or b"<!" in data:
            return None
        user = ET.fromstring(data.split(b"\0")[0].decode("utf-8")).findtext("USER")
        found = json.loads(user or "")
    except (ET.ParseError, *DECODER_ERRORS):
        return None
    return found if isinstance(found, dict) and "recipe" in found else None
