"""A sound: a recording, or what has been made of one; heavy packages are loaded when they are needed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from innerbloom.library.folder import new_file

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from innerbloom.core.prepare.loop_search import FoundLoop
    from innerbloom.core.prepare.recipe import Recipe
    from innerbloom.core.sound.files import SoundInfo
    from innerbloom.core.sound.writing import Format
    from innerbloom.library.materials import Spectrum, Wavetable

PathLike = str | Path
Plain = Mapping[str, Any]
Told = Callable[[float], bool]
Document = PathLike | Plain | Sequence[Plain]
"""A file, plain data, or the list that such a document has at its heart."""


@dataclass(frozen=True)
class Measures:
    """What is measured of a sound; None where it has no such thing.

    Attributes
    ----------
    root : float or None
        MIDI note with a fraction.
    note : str or None
        Its name, such as ``A2 +14``.
    confidence, tonalness : float
        0..1.
    lufs, momentary_lufs : float or None
        Integrated and highest momentary loudness (ITU-R BS.1770-4).
    true_peak_dbtp, noise_floor_dbfs : float or None
    remarks : tuple of str
        What is the matter with it: clipping, an offset, clicks.
    """

    root: float | None
    note: str | None
    confidence: float
    tonalness: float
    lufs: float | None
    momentary_lufs: float | None
    true_peak_dbtp: float | None
    noise_floor_dbfs: float | None
    remarks: tuple[str, ...]


class Sound:
    """A sound in a file; whatever is done with it makes another, and leaves it as it is.

    Parameters
    ----------
    path : str or Path

    Raises
    ------
    SoundFileError
        If it cannot be read.

    Examples
    --------
    >>> wire = ib.open("wire.wav")
    >>> held = wire.prepare([ib.steps.cut(start=2.1, end=8.6), ib.steps.normalise()])
    >>> held.write("held.wav")
    """

    def __init__(self, path: PathLike) -> None:
        from innerbloom.core.sound.files import sound_info

        self.path = Path(path)
        self._info: SoundInfo = sound_info(self.path)

    @property
    def name(self) -> str:
        """The name of its file, without the suffix."""
        return self.path.stem

    @property
    def rate(self) -> int:
        """Frames a second, in Hz."""
        return self._info.rate

    @property
    def channels(self) -> int:
        return self._info.channels

    @property
    def seconds(self) -> float:
        return self._info.seconds

    @cached_property
    def samples(self) -> NDArray[np.float32]:
        """All of it, shape (frames, channels), full scale at 1."""
        import numpy as np

        from innerbloom.core.sound.files import read_blocks

        return np.concatenate(list(read_blocks(self.path)))

    def measure(self, *, tuning: float = 440.0) -> Measures:
        """Root, loudness, peaks, noise floor, tonalness; ``tuning`` is A4 in Hz, for names."""
        from innerbloom.core.analysis.examine import examine
        from innerbloom.core.pitch_names import hz_to_note, note_name

        found = examine(self.path)
        root = None if found.root_hz is None else hz_to_note(found.root_hz, tuning)
        name, cents = ("", 0.0) if root is None else note_name(root)
        return Measures(
            root, None if root is None else f"{name} {cents:+.0f}", found.confidence,
            found.tonalness, found.lufs, found.momentary_lufs, found.true_peak_dbtp,
            found.noise_floor_dbfs, tuple(found.remarks),
        )  # fmt: skip

    def prepare(
        self, recipe: Document | Recipe, *, tuning: float = 440.0, progress: Told | None = None
    ) -> Sound:
        """What a recipe makes of it: a file, a whole recipe, or its steps; see :mod:`innerbloom.steps`.

        Raises
        ------
        BloomError
            One sentence that names the step at fault.
        """
        from innerbloom.core.deliver.to_file import going_on, prepare_to_file
        from innerbloom.core.prepare.recipe import Recipe, parse_recipe

        given = recipe if isinstance(recipe, Recipe) else parse_recipe(read(recipe, "steps"))
        out = new_file(f"{self.name}.wav")
        prepare_to_file(
            self.path, given, out, form="wav32f", tuning=tuning, told=progress or going_on
        )
        return Sound(out)

    def process(self, chain: Document, *, progress: Told | None = None) -> Sound:
        """It through a chain of effects, at 48 kHz: a file, a whole chain, or its effects.

        Sounds that effects work with lie beside the chain's file, or beside this one.
        """
        from innerbloom.core.deliver.sources import beside
        from innerbloom.core.deliver.to_file import going_on, process_to_file
        from innerbloom.core.instrument.chain_document import parse_chain
        from innerbloom.core.materials.held import FileMaterials

        place = Path(chain) if isinstance(chain, str | Path) else self.path
        plain = read(chain, "effects")
        given = parse_chain({"name": "Chain", **plain} if isinstance(plain, Mapping) else plain)
        out = new_file(f"{self.name}.wav")
        materials = FileMaterials(beside(place.parent))
        process_to_file(self.path, given, materials, out, form="wav32f", told=progress or going_on)
        return Sound(out)

    def loops(
        self, start: float = 0.0, end: float | None = None, *, least: float = 0.25
    ) -> list[FoundLoop]:
        """Loops between two moments in seconds, best first, none shorter than ``least``."""
        from innerbloom.core.prepare.loop_search import loops_of

        return loops_of(self.path, start, end, least)

    def wavetable(
        self, *, frames: int = 64,
        by: Literal["itself", "cycles", "spectra", "stretches"] = "itself",
        root: float | str | None = None, **settings: Any,
    ) -> Wavetable:  # fmt: skip
        """Frames taken along it; ``settings`` are those of a recipe's source, see docs/wavetables.md."""
        from innerbloom.library.materials import Wavetable

        return Wavetable.of(self, frames=frames, by=by, root=as_note(root), **settings)

    def spectrum(
        self, *, root: float | str | None = None, window_ms: float | None = None,
        partials: int = 80, noise: float = 50.0, strikes: float = 50.0,
    ) -> Spectrum:  # fmt: skip
        """It taken apart into partials, strikes and noise; see docs/spectra.md."""
        from innerbloom.core.declare.spectrum_settings import Analysis
        from innerbloom.library.materials import Spectrum

        how = Analysis(window_ms=window_ms, partials=partials, noise=noise, strikes=strikes)
        return Spectrum.of(self, as_note(root), how)

    def write(
        self, path: PathLike, *, form: Format | None = None, rate: int | None = None
    ) -> Sound:
        """Write it with its loop, root and markers; gives what was written.

        Parameters
        ----------
        form : {"wav16", "wav24", "wav32f", "flac", "ogg", "opus"}, optional
            By the suffix if left out; WAV has 24 bits then.
        rate : int, optional
            Frames a second in Hz; its own if left out.
        """
        from innerbloom.core.deliver.export import about_of, export_sound
        from innerbloom.core.sound.writing import SUFFIX

        target = Path(path)
        by_suffix: dict[str, Format] = {one: name for name, one in SUFFIX.items()}  # type: ignore[misc]
        given = form or {**by_suffix, ".wav": "wav24"}.get(target.suffix.lower())
        if given is None:
            raise ValueError(
                f"'{target.name}' has to end in one of {', '.join(sorted(by_suffix))}."
            )
        export_sound(self.path, target, about_of(self.path), form=given, rate=rate)
        return Sound(target)

    def __repr__(self) -> str:
        channels = {1: "mono", 2: "stereo"}.get(self.channels, f"{self.channels} channels")
        return f"<Sound {self.name!r}, {self.seconds:.2f} s, {self.rate} Hz, {channels}>"

    def _repr_html_(self) -> str:
        from innerbloom.library import notebook

        pictures = notebook.outline(self.samples), notebook.player(self.samples, self.rate)
        return notebook.shown(repr(self)[1:-1], *pictures)


def read(given: Document, inner: str) -> Any:
    """Plain data or the text of a file; a list becomes a document with it at its heart."""
    if isinstance(given, str | Path):
        return Path(given).read_bytes()
    return given if isinstance(given, Mapping) else {inner: list(given)}


def as_note(given: float | str | None) -> float | None:
    """A MIDI note, given as such or by its name; raises a ValueError for what is none."""
    from innerbloom.core.pitch_names import parse_note

    return parse_note(given) if isinstance(given, str) else given
