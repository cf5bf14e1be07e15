"""The spectrum document: which stretch of which recording, and how it is taken apart."""

from __future__ import annotations

from typing import Any, Literal

from innerbloom.core.declare.model import Model, Name
from innerbloom.core.declare.parameters import Declared, Parameter
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS, Analysis
from innerbloom.core.declare.validation import validated
from innerbloom.core.materials.spectrum.model import SpectrumError

FORMAT: Literal["inner-bloom/spectrum-recipe"] = "inner-bloom/spectrum-recipe"


class SpectrumDocument(Model):
    """How a spectrum is made; its sound's ``analysis`` holds the settings."""

    format: Literal["inner-bloom/spectrum-recipe"] = FORMAT
    version: Literal[1] = 1
    name: Name
    sound: Sound

    @property
    def analysis(self) -> Analysis:
        return self.sound.analysis or Analysis()


def parse_spectrum(data: Any) -> SpectrumDocument:
    """Validate a document, as plain data; SpectrumError names what is wrong."""
    return validated(SpectrumDocument, data, "spectrum's recipe", SpectrumError)


KIND = DocumentKind("spectrum", "spectrum's recipe", SpectrumDocument, parse_spectrum)

WORDS: tuple[Declared, ...] = (
    Parameter(
        "window_ms",
        "resolution",
        "",
        "ms",
        10,
        200,
        60,
        "What partials are looked at through: longer tells close ones apart, shorter follows "
        "faster.",
        "log",
        movable=False,
    ),
    Parameter(
        "partials",
        "partials",
        "",
        "",
        1,
        MOST_PARTIALS,
        80,
        "Most that sound at once.",
        "log",
        whole_number=True,
        movable=False,
    ),
    Parameter(
        "noise",
        "noise",
        "",
        "%",
        0,
        100,
        50,
        "How readily a partial counts as noise; 50 is for most sounds.",
        movable=False,
    ),
    Parameter(
        "strikes",
        "strikes",
        "",
        "%",
        0,
        100,
        50,
        "How readily beginnings are kept as they are; 0 keeps none.",
        movable=False,
    ),
)
"""How the settings of the taking apart are shown."""
