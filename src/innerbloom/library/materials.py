"""Wavetables and spectra, as what sounds are taken apart into."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from innerbloom.core.declare.spectrum_settings import Analysis
    from innerbloom.core.materials.spectrum.model import Spectrum as CoreSpectrum
    from innerbloom.core.materials.wavetable.table import Table
    from innerbloom.library.sound import Sound


class Wavetable:
    """Frames of one period each; ``table`` is the core's own."""

    def __init__(self, name: str, table: Table, by: str) -> None:
        self.name, self.table, self.by = name, table, by

    @classmethod
    def of(cls, sound: Sound, **settings: Any) -> Wavetable:
        """Frames along a sound; raises a BloomError where there are none."""
        from innerbloom.core.deliver.sources import beside, read_sound
        from innerbloom.core.materials.wavetable.document import parse_table
        from innerbloom.core.materials.wavetable.make import make_raw

        source = {"kind": "recording", "sound": {"path": sound.path.name}, **settings}
        document = parse_table({"name": sound.name, "source": source})
        locate = beside(sound.path.parent)
        raw = make_raw(document, lambda one: read_sound(one, locate))
        return cls(sound.name, raw.table, raw.by)

    @property
    def waves(self) -> NDArray[np.float64]:
        """Shape (frames, 2048)."""
        return self.table.waves()

    def write(self, path: str | Path) -> Path:
        """Write it as a WAV file that says how long its frames are; docs/wavetables.md."""
        from innerbloom.core.materials.wavetable.files import write_table

        write_table(Path(path), self.table, self.name)
        return Path(path)

    def __len__(self) -> int:
        return len(self.table)

    def __repr__(self) -> str:
        return f"<Wavetable {self.name!r}, {len(self)} frames by {self.by}>"

    def _repr_html_(self) -> str:
        from innerbloom.library import notebook

        return notebook.shown(repr(self)[1:-1], notebook.curves(self.waves))


class Spectrum:
    """Partials, strikes and noise; ``spectrum`` is the core's own."""

    def __init__(self, name: str, spectrum: CoreSpectrum) -> None:
        self.name, self.spectrum = name, spectrum

    @classmethod
    def of(cls, sound: Sound, root: float | None, settings: Analysis) -> Spectrum:
        """A sound taken apart; its root, a MIDI note, is found if None."""
        from innerbloom.core.deliver.to_file import spectrum_of_file

        return cls(sound.name, spectrum_of_file(sound.path, root, settings))

    @property
    def partials(self) -> int:
        return len(self.spectrum.tracks)

    @property
    def strikes(self) -> int:
        return len(self.spectrum.strikes)

    @property
    def tonal(self) -> float:
        """Share of the power that partials have, 0..1."""
        return self.spectrum.tonal

    def write(self, path: str | Path) -> Path:
        """Write it as an open ``.spectrum`` file; docs/spectra.md."""
        from innerbloom.core.materials.spectrum.files import write_spectrum

        write_spectrum(Path(path), self.spectrum, self.name)
        return Path(path)

    def __repr__(self) -> str:
        return (
            f"<Spectrum {self.name!r}, {self.partials} partials, {self.strikes} strikes, "
            f"{100 * self.tonal:.0f} % tonal>"
        )
