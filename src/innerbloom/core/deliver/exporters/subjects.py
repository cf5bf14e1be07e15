"""What can be exported, each with all that its exporters need."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

from innerbloom.core.deliver.playable import Playable
from innerbloom.core.materials.protocol import Locate
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.materials.wavetable.document import TableDocument
from innerbloom.core.materials.wavetable.table import Table
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_format import TakeHeader
from innerbloom.core.timeline.document import Timeline


@dataclass(frozen=True)
class PlayableSubject:
    """An instrument or an ensemble, and where its sounds are."""

    kind: ClassVar[str] = "instrument"
    document: Playable
    locate: Locate


@dataclass(frozen=True)
class TakeSubject:
    """A take; ``sound`` is None where it has none."""

    kind: ClassVar[str] = "take"
    header: TakeHeader
    take: Take
    sound: Path | None


@dataclass(frozen=True)
class TableSubject:
    """A wavetable, and how it is made."""

    kind: ClassVar[str] = "wavetable"
    document: TableDocument
    table: Table


@dataclass(frozen=True)
class SpectrumSubject:
    kind: ClassVar[str] = "spectrum"
    name: str
    spectrum: Spectrum


@dataclass(frozen=True)
class TimelineSubject:
    kind: ClassVar[str] = "timeline"
    timeline: Timeline


@dataclass(frozen=True)
class PieceSubject:
    """A movement, a chain or a recipe, as plain data; ``kind`` says which."""

    kind: str
    plain: dict[str, Any]
