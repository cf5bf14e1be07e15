"""From files to a file: an instrument rendered, a recording prepared, a sound through a chain.

The same for the page's jobs, the shell and the library; each is told how far it is and can be stopped.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.examine import Progress as Told
from innerbloom.core.analysis.examine import examine
from innerbloom.core.analysis.track import pitch_track, root_of
from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.deliver.playable import AnyProgram, Playable, bend_range_of
from innerbloom.core.deliver.processing import process_blocks
from innerbloom.core.deliver.render import expected_frames, render_blocks
from innerbloom.core.deliver.sources import beside
from innerbloom.core.digest import file_digest
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.instrument.chain_document import Chain
from innerbloom.core.instrument.grow import sound_from
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.materials.spectrum.files import SUFFIX, read_spectrum
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.materials.spectrum.prepared import AnalysisRequest
from innerbloom.core.performance.events import AnyEvent, chord
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.lineage import lineage_of
from innerbloom.core.prepare.recipe import Recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource, write_clip
from innerbloom.core.sound.files import read_stretch, sound_info
from innerbloom.core.sound.metadata import Origin, read_origin
from innerbloom.core.sound.resampled import resampled_blocks
from innerbloom.core.sound.writing import Format, write_sound


def going_on(share: float) -> bool:
    """Told, and goes on."""
    return True


def watched(
    blocks: Iterable[NDArray[np.float32]], total: int, told: Told
) -> Iterator[NDArray[np.float32]]:
    """Blocks as they come, ``told`` the share of ``total`` frames before each; raises Cancelled."""
    done = 0
    for block in blocks:
        done += len(block)
        if not told(min(1.0, done / max(1, total))):
            raise Cancelled("Stopped.")
        yield block


@dataclass(frozen=True)
class Played:
    """What is played: keys held together, or a MIDI file.

    Attributes
    ----------
    keys : tuple of float
        MIDI notes.
    seconds : float
        How long they are held; the release follows.
    velocity : float
        0..1.
    midi : bytes or None
        A file, in place of keys.
    """

    keys: tuple[float, ...] = (48.0,)
    seconds: float = 4.0
    velocity: float = 100 / 127
    midi: bytes | None = None

    def events(self, document: Playable) -> Sequence[AnyEvent]:
        """Raises a PerformanceError if the MIDI file cannot be read."""
        if self.midi is not None:
            return events_from_midi(self.midi, ENGINE_RATE, bend_range_of(document))
        return chord(self.keys, self.seconds, ENGINE_RATE, self.velocity)


def render_to_file(
    program: AnyProgram, events: Sequence[AnyEvent], out: Path, origin: Origin, *,
    form: Format, rate: int = ENGINE_RATE, told: Told = going_on,
) -> float:  # fmt: skip
    """Render events to a file at a rate in Hz; gives its seconds.

    Raises
    ------
    Cancelled
        If ``told`` returns False.
    SoundFileError
        If it cannot be written.
    """
    heard = watched(render_blocks(program, events), expected_frames(program, events), told)
    blocks = resampled_blocks(heard, ENGINE_RATE, rate, 2)
    return write_sound(out, blocks, rate, 2, form=form, origin=origin) / rate


def prepare_to_file(
    source: Path, recipe: Recipe, out: Path, *,
    form: Format, tuning: float = 440.0, told: Told = going_on,
) -> Clip:  # fmt: skip
    """Write what a recipe makes of a file, with its loop, root, origin and lineage; gives it, root and all.

    Raises
    ------
    BloomError
        One sentence that names the step at fault, or why a file cannot be read or written.
    Cancelled
        If ``told`` returns False.
    """
    clip = run_recipe(recipe, FileSource(source), tuning=tuning, progress=told)
    if clip.root_how == "found":
        clip = replace(clip, root=root_of(pitch_track(clip.samples, clip.rate))[0])
    came = read_origin(source)
    origin = Origin(out.stem, came.notes, came.recordist, came.licence, came.date)
    lineage = lineage_of(source, file_digest(source), recipe)
    write_clip(out, clip, form=form, origin=origin, root=clip.root, lineage=lineage)
    return clip


def measured_sound(source: Path, root: float | None = None) -> Sound:
    """A file, a sound or a spectrum, as a layer plays it: its root, where none is given, and level measured."""
    if not source.is_file():
        raise BloomError(f"There is no sound '{source}'.")
    if source.suffix == SUFFIX:
        held = read_spectrum(source)
        note = None if held.root_hz is None else hz_to_note(held.root_hz)
        return Sound(path=source.name, root=note, name=source.stem)
    found = examine(source)
    measured = None if found.root_hz is None else hz_to_note(found.root_hz)
    return sound_from(
        duration_s=found.info.seconds, root=measured if root is None else root,
        loudness_lufs=found.lufs, path=source.name, name=source.stem,
    )  # fmt: skip


def spectrum_of_file(
    source: Path, root: float | None, settings: Analysis, told: Told = going_on
) -> Spectrum:
    """Take a file apart into partials, strikes and noise; its root, a MIDI note, is found if None.

    Raises
    ------
    BloomError
        If it cannot be read, or has no spectrum.
    Cancelled
        If ``told`` returns False.
    """
    sound = measured_sound(source, root).model_copy(update={"analysis": settings})
    return AnalysisRequest.of(sound).taken_apart(beside(source.parent), told)


def process_to_file(
    source: Path, chain: Chain, materials: Materials, out: Path, *,
    form: Format, told: Told = going_on,
) -> float:  # fmt: skip
    """Send a sound through a chain of effects to a file at 48 kHz; gives its seconds.

    Raises
    ------
    BloomError
        If a sound cannot be read or found.
    Cancelled
        If ``told`` returns False.
    """
    samples, rate = read_stretch(source, 0.0, None, sound_info(source).seconds)
    if not len(samples):
        raise BloomError(f"'{source.name}' holds no sound.")
    stereo = np.ascontiguousarray(samples[:, [0, -1]])
    at_rate = np.asarray(soxr.resample(stereo, rate, ENGINE_RATE, quality="VHQ"), np.float32)
    blocks = watched(process_blocks(chain, at_rate, materials), len(at_rate), told)
    origin = Origin(title=source.stem, notes=f"{source.name} through {chain.name}")
    return write_sound(out, blocks, ENGINE_RATE, 2, form=form, origin=origin) / ENGINE_RATE
