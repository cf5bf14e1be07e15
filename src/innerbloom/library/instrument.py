"""An instrument or an ensemble, and the sounds it plays."""

from __future__ import annotations

import logging
import os
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar, cast

from innerbloom.library.folder import new_file, new_folder
from innerbloom.library.sound import PathLike, Sound, Told, as_note

if TYPE_CHECKING:
    from innerbloom.core.deliver.playable import Playable
    from innerbloom.core.materials.protocol import Locate
    from innerbloom.settings import InstrumentSettings, KindSettings

log = logging.getLogger("innerbloom")
S = TypeVar("S", bound="KindSettings")
Note = float | str


class Instrument:
    """What can be played: ``document`` is the core's own, validated at every change.

    Examples
    --------
    >>> pad = ib.grow("wire.wav")
    >>> cloud = pad.layer(0, ib.settings.CloudSettings)
    >>> cloud.size = 300
    """

    def __init__(self, document: Playable, locate: Locate) -> None:
        self.document = document
        self._locate = locate

    @property
    def name(self) -> str:
        return self.document.name

    @property
    def settings(self) -> InstrumentSettings:
        """Those of the whole: voices, glide, level, effects …"""
        return cast("InstrumentSettings", self.document.settings)

    def layer(self, which: int | str, kind: type[S]) -> S:
        """Settings of a layer, by its place or id, typed by its kind.

        Raises
        ------
        KeyError, IndexError
            If there is none.
        TypeError
            If it is of another kind.
        """
        return self._typed("layers", which, kind)

    def modulator(self, which: int | str, kind: type[S]) -> S:
        """Settings of a modulator; as :meth:`layer`."""
        return self._typed("modulators", which, kind)

    def effect(self, which: int | str, kind: type[S]) -> S:
        """Settings of an effect of the whole; as :meth:`layer`."""
        return self._typed("effects", which, kind)

    def _typed(self, field: str, which: int | str, kind: type[S]) -> S:
        owners = getattr(self.document, field, [])
        if isinstance(which, str):
            found = next((one for one in owners if one.id == which), None)
            if found is None:
                known = ", ".join(one.id for one in owners) or "none"
                raise KeyError(f"There is no '{which}' among {field}: there is {known}.")
        else:
            found = owners[which]
        if found.kind != kind.KIND:
            raise TypeError(f"'{found.id}' is of kind {found.kind}, not {kind.KIND}.")
        return cast("S", found.settings)

    def write(self, path: PathLike) -> Path:
        """Write a document (.json) beside the sounds it plays, or a bundle (.zip) with them in it.

        Raises
        ------
        DocumentError
            If a sound does not lie beside or below a document.
        """
        from innerbloom.core.deliver.bundle import write_bundle
        from innerbloom.core.ensemble.document import Ensemble
        from innerbloom.core.errors import DocumentError
        from innerbloom.core.instrument.document import sounds_of

        target = Path(path)
        if target.suffix.lower() == ".zip":
            write_bundle(self.document, self._locate, target)
            return target
        if target.suffix.lower() != ".json":
            raise ValueError(f"'{target.name}' has to end in .json or .zip.")
        if isinstance(self.document, Ensemble):
            raise DocumentError("An ensemble is written as a bundle: name it .zip.")
        document, folder = self.document.model_copy(deep=True), target.parent.resolve()
        for sound in sounds_of(document):
            there = self._locate(sound).resolve()
            if not there.is_relative_to(folder):
                raise DocumentError(
                    f"'{there.name}' does not lie beside or below {target}: write a bundle.zip."
                )
            sound.path = os.path.relpath(there, folder).replace(os.sep, "/")
        target.write_text(document.model_dump_json(indent=2) + "\n", "utf-8")
        return target

    def __repr__(self) -> str:
        from innerbloom.core.ensemble.document import Ensemble

        if isinstance(self.document, Ensemble):
            return f"<Ensemble {self.name!r}, {len(self.document.players)} players>"
        layers = ", ".join(f"{one.id} {one.kind}" for one in self.document.layers)
        return f"<Instrument {self.name!r}: {layers}>"


def grow(sound: Sound | PathLike) -> Instrument:
    """The instrument that a sound grows into: a cloud that sounds right at its root.

    Raises
    ------
    SoundFileError
        If it cannot be read.
    """
    from innerbloom.core.deliver.first_note import grow_file
    from innerbloom.core.deliver.sources import beside

    path = sound.path if isinstance(sound, Sound) else Path(sound)
    return Instrument(grow_file(path), beside(path.parent))


def open_instrument(path: PathLike, *, trusted: bool = False) -> Instrument:
    """An instrument or an ensemble, from a document or a bundle; as :func:`.open_playable`."""
    import zipfile

    from innerbloom.core.deliver.bundle import unpack_bundle
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.sources import beside

    given = Path(path)
    if zipfile.is_zipfile(given):
        folder = new_folder()
        return Instrument(unpack_bundle(given, folder), beside(folder, trusted=True))
    with open_playable(given, trusted=trusted) as (document, locate):
        return Instrument(document, locate)


def render(
    instrument: Instrument | PathLike, note: Note | Sequence[Note] = "C3", *,
    seconds: float = 4.0, velocity: int = 100, midi: PathLike | None = None,
    rate: int = 48_000, seed: int | None = None, progress: Told | None = None,
) -> Sound:  # fmt: skip
    """Play an instrument: a note, a chord, or a MIDI file.

    Parameters
    ----------
    note : float, str, or several of them
        MIDI notes or names; C3 is 48.
    seconds : float
        How long keys are held; the release follows.
    velocity : int
        1..127.
    midi : str or Path, optional
        A file, in place of notes.
    rate : int
        Frames a second in Hz; resampled from 48000.
    seed : int, optional
        Other chance, 0..999999.
    progress : callable, optional
        Told the share done, 0..1; returns False to stop it.

    Raises
    ------
    BloomError
        If a sound or the MIDI file cannot be read.
    Cancelled
        If ``progress`` returns False.
    """
    from innerbloom.core.deliver.playable import compile_playable, with_seed
    from innerbloom.core.deliver.sources import file_materials
    from innerbloom.core.deliver.to_file import Played, going_on, render_to_file
    from innerbloom.core.sound.metadata import Origin

    _say_if_it_takes_long()
    given = instrument if isinstance(instrument, Instrument) else open_instrument(instrument)
    notes = [note] if isinstance(note, str | float | int) else note
    keys = tuple(float(as_note(one) or 0.0) for one in notes)
    played = Played(keys, seconds, velocity / 127.0, Path(midi).read_bytes() if midi else None)
    document = given.document if seed is None else with_seed(given.document, seed)
    program = compile_playable(document, file_materials(given._locate))
    out = new_file(f"{document.name}.wav")
    origin = Origin(document.name, f"Rendered from {document.name}")
    render_to_file(
        program, played.events(document), out, origin,
        form="wav32f", rate=rate, told=progress or going_on,
    )  # fmt: skip
    return Sound(out)


def _say_if_it_takes_long() -> None:
    from innerbloom.core.compiling import is_warm
    from innerbloom.core.engine import warm

    if not is_warm():
        log.warning("Compiling the sound engine, once: a minute or two.")
        # a process of its own: its workers run the beginning of whatever script has started them
        subprocess.run([sys.executable, "-m", warm.__name__], check=True, capture_output=True)
