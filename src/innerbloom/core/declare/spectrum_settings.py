"""How a recording is taken apart into a spectrum; kept with the sound that is played so."""

from __future__ import annotations

from pydantic import Field

from innerbloom.core.declare.model import Model

MOST_PARTIALS = 128


class Analysis(Model, frozen=True):
    """Settings of the taking apart.

    Attributes
    ----------
    window_ms : float or None
        What partials are looked at through: longer tells close partials apart, shorter follows
        faster. None takes the one that leaves the least of the sound.
    partials : int
        Most that sound at once.
    noise : float
        How readily a partial counts as noise, 0..100 %; 50 is for most sounds.
    strikes : float
        How readily beginnings are kept as they are, 0..100 %; 0 keeps none.
    """

    window_ms: float | None = Field(default=None, ge=10, le=200)
    partials: int = Field(default=80, ge=1, le=MOST_PARTIALS)
    noise: float = Field(default=50.0, ge=0, le=100)
    strikes: float = Field(default=50.0, ge=0, le=100)
