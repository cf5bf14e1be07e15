"""Every way out of the house as a file; page, HTTP and ``bloom export`` come from this list.

Sounds are exported in formats of their own (:mod:`innerbloom.core.sound.writing`), since they may be many
and large; samples, variations and stems are handed over as folders.
"""

from __future__ import annotations

from innerbloom.core.declare.registry import Registry
from innerbloom.core.deliver.exporters.instruments import (
    INSTRUMENT_BUNDLE,
    INSTRUMENT_DOCUMENT,
    INSTRUMENT_TUNING,
)
from innerbloom.core.deliver.exporters.kind import Exporter
from innerbloom.core.deliver.exporters.materials import SPECTRUM_FILE, TABLE_RECIPE, TABLE_WAV
from innerbloom.core.deliver.exporters.pieces import (
    CHAIN,
    MOVEMENT,
    RECIPE,
    TIMELINE_CUES,
    TIMELINE_OTIO,
)
from innerbloom.core.deliver.exporters.takes import TAKE_FILE, TAKE_MIDI
from innerbloom.core.errors import BloomError

EXPORTERS: Registry[Exporter] = Registry(
    INSTRUMENT_BUNDLE,
    INSTRUMENT_DOCUMENT,
    INSTRUMENT_TUNING,
    TAKE_MIDI,
    TAKE_FILE,
    TABLE_WAV,
    TABLE_RECIPE,
    SPECTRUM_FILE,
    MOVEMENT,
    CHAIN,
    RECIPE,
    TIMELINE_OTIO,
    TIMELINE_CUES,
)


def exporter_for(kind: str, wanted: str) -> Exporter:
    """An exporter by its name; raises a BloomError that names those there are."""
    found = EXPORTERS.get(wanted)
    if found is None or found.of != kind:
        known = [one.id for one in EXPORTERS.values() if one.of == kind]
        several = f"as {', '.join(known)}" if known else "in no other way"
        article = "An" if kind[0] in "aeiou" else "A"
        raise BloomError(f"{article} {kind} is exported {several}, not as '{wanted}'.")
    return found


__all__ = ["EXPORTERS", "Exporter", "exporter_for"]
