"""What tasks do; each is a function of plain values and recordings, and nothing else."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.batch.task import Params, Task, TaskKind
from innerbloom.core.analysis.timbre import timbre_of
from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.deliver.again import Digest, Way, played_again
from innerbloom.core.deliver.samples.sampling import Sample, sample
from innerbloom.core.deliver.samples.settings import SampleSettings
from innerbloom.core.deliver.samples.zones import Zone
from innerbloom.core.deliver.swap import Candidate, Character, character, tried
from innerbloom.core.deliver.variation_settings import VariationSettings
from innerbloom.core.deliver.variations import Draw, Variation, made_by
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.take import Take
from innerbloom.core.sound.writing import write_sound
from innerbloom.core.timeline.document import parse_timeline
from innerbloom.core.timeline.measure import Piece, piece_of
from innerbloom.core.timeline.mix import TimelineMix
from innerbloom.store.files import FileStore
from innerbloom.store.films import ClipSounds
from innerbloom.store.materials import make_material
from innerbloom.store.prepared import DiskMaterials

Going = Callable[[float], bool]


def sample_task(instrument: Params, settings: Params, zone: Zone) -> Task:
    """Play and cut one note of an instrument."""
    params = {"instrument": instrument, "settings": settings, "zone": zone}
    return Task("sample", params, tuple(recordings_in(instrument)))


def _sample(params: Params, store: FileStore, going: Going) -> Sample:
    document = parse_instrument(params["instrument"])
    settings = SampleSettings.model_validate(params["settings"])
    return sample(document, params["zone"], settings, DiskMaterials(store))


def variation_task(
    instrument: Params, settings: Params, draw: Draw, hands: tuple[Event, ...]
) -> Task:
    """Play one variation of an instrument."""
    params = {"instrument": instrument, "settings": settings, "draw": draw, "hands": hands}
    return Task("variation", params, tuple(recordings_in(instrument)))


def _variation(params: Params, store: FileStore, going: Going) -> Variation | None:
    document = parse_instrument(params["instrument"])
    settings = VariationSettings.model_validate(params["settings"])
    return made_by(document, params["draw"], settings, DiskMaterials(store), params["hands"])


def timbre_task(digest: str) -> Task:
    """Measure the timbre of a recording."""
    return Task("timbre", {"digest": digest}, (digest,))


def _timbre(params: Params, store: FileStore, going: Going) -> Any:
    return timbre_of(store.readable(params["digest"]))


@dataclass(frozen=True)
class Swapped:
    """An instrument over another recording, or as it is where ``candidate`` is None."""

    candidate: Candidate | None
    document: Params
    character: Character


def swap_task(
    instrument: Params, candidate: Candidate | None, key: float, seconds: float, loudness: float
) -> Task:
    """Play an instrument over another recording, or as it is."""
    params = {"instrument": instrument, "candidate": candidate, "key": key, "seconds": seconds,
              "loudness": loudness}  # fmt: skip
    more = () if candidate is None else (candidate.digest,)
    return Task("swap", params, (*recordings_in(instrument), *more))


def _swap(params: Params, store: FileStore, going: Going) -> Swapped:
    document, candidate = parse_instrument(params["instrument"]), params["candidate"]
    materials, how = DiskMaterials(store), (params["key"], params["seconds"])
    if candidate is None:
        return Swapped(None, params["instrument"], character(document, materials, *how))
    made, found = tried(document, candidate, store.locate, materials, *how, params["loudness"])
    return Swapped(candidate, made.model_dump(mode="json"), found)


def again_task(take: Take, way: Way, path: Path | None = None) -> Task:
    """Play a take again in one way; gives its sound, float32 of shape (frames, 2) at 48 kHz.

    Where a path is given it is written there, and its frames and hash are what is given: a long
    one is never whole in memory then, but has to be made on this machine.
    """
    playing = [*take.documents(), *([] if way.document is None else [way.document])]
    digests = dict.fromkeys(digest for document in playing for digest in recordings_in(document))
    return Task("again", {"take": take, "way": way, "path": path}, tuple(digests))


def _again(params: Params, store: FileStore, going: Going) -> Any:
    blocks = played_again(params["take"], params["way"], DiskMaterials(store), going)
    if params["path"] is None:
        return np.concatenate(list(blocks))
    return write_hashed(params["path"], blocks)


def write_hashed(path: Path, blocks: Iterator[NDArray[np.float32]]) -> tuple[int, str]:
    """Write sound as it is made, WAV of float32; gives its frames and the hash of its samples."""
    digest = Digest()
    frames = write_sound(path, digest.of(blocks), ENGINE_RATE, 2, form="wav32f")
    return frames, digest.hexdigest()


def mix_task(timeline: Params, firsts: tuple[int, ...], recordings: tuple[str, ...]) -> Task:
    """Mix pieces of a timeline, told by their first samples; gives a :class:`.Piece` each.

    Takes that it plays have to lie in the store: they have no hash, and do not travel.
    """
    return Task("mix", {"timeline": timeline, "firsts": firsts}, recordings)


def _mix(params: Params, store: FileStore, going: Going) -> list[Piece]:
    mix = TimelineMix(parse_timeline(params["timeline"]), ClipSounds(store), skip_missing=True)
    return [piece_of(mix, first) for first in params["firsts"]]


def piece_task(asked: Params, piece: Params) -> Task:
    """Make a material of a piece of a recording: see :func:`.make_material`.

    Its file lies in the store of whoever does it: it has to be done on this machine.
    """
    return Task("piece", {"asked": asked, "piece": piece}, (asked["digest"],))


def _piece(params: Params, store: FileStore, going: Going) -> Params:
    return make_material(store, params["asked"], params["piece"], going)


SAMPLE = TaskKind("sample", _sample)
VARIATION = TaskKind("variation", _variation)
TIMBRE = TaskKind("timbre", _timbre)
SWAP = TaskKind("swap", _swap)
AGAIN = TaskKind("again", _again)
MIX = TaskKind("mix", _mix)
PIECE = TaskKind("piece", _piece)
