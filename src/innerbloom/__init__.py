"""Inner Bloom: field recordings turned into evolving, playable textures.

For scripts and notebooks::

    import innerbloom as ib

    wire = ib.open("wire.wav")
    pad = ib.grow(wire)
    pad.layer(0, ib.settings.CloudSettings).size = 300
    ib.render(pad, "A2", seconds=6).write("pad.wav")

What stands here is loaded when it is first used.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from innerbloom import settings as settings
    from innerbloom import steps as steps
    from innerbloom.core.errors import BloomError as BloomError
    from innerbloom.library.instrument import Instrument as Instrument
    from innerbloom.library.instrument import grow as grow
    from innerbloom.library.instrument import open_instrument as open_instrument
    from innerbloom.library.instrument import render as render
    from innerbloom.library.materials import Spectrum as Spectrum
    from innerbloom.library.materials import Wavetable as Wavetable
    from innerbloom.library.sound import Measures as Measures
    from innerbloom.library.sound import Sound as Sound

    open = Sound
    """Open a sound file."""

_PLACES = {
    "BloomError": "core.errors",
    "Instrument": "library.instrument",
    "Measures": "library.sound",
    "Sound": "library.sound",
    "Spectrum": "library.materials",
    "Wavetable": "library.materials",
    "grow": "library.instrument",
    "open_instrument": "library.instrument",
    "render": "library.instrument",
}
_MODULES = ("settings", "steps")

__all__ = [*_PLACES, "open", *_MODULES]


def __getattr__(name: str) -> Any:
    """Load what is asked for; see PEP 562."""
    from importlib import import_module

    if name in _MODULES:
        return import_module(f"innerbloom.{name}")
    place = _PLACES.get("Sound" if name == "open" else name)
    if place is None:
        raise AttributeError(f"module 'innerbloom' has no attribute '{name}'")
    return getattr(import_module(f"innerbloom.{place}"), "Sound" if name == "open" else name)


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
