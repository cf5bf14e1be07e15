"""A sound as a file for elsewhere: format and rate chosen, with what is known of it inside.

Going down to 16 bits adds triangular dither of two steps, so that quiet tails end in noise and
not in distortion (S. P. Lipshitz, R. A. Wannamaker and J. Vanderkooy, "Quantization and dither:
a theoretical survey", Journal of the Audio Engineering Society 40(5), 1992).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import Cancelled
from innerbloom.core.names import by_template, safe_stem
from innerbloom.core.pitch_names import note_name
from innerbloom.core.prepare.lineage import read_lineage
from innerbloom.core.sound.files import read_blocks, sound_info
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin, read_origin
from innerbloom.core.sound.resampled import resampled_blocks
from innerbloom.core.sound.sampler import mark_sound, read_sampler
from innerbloom.core.sound.takes import read_take
from innerbloom.core.sound.writing import Format, rate_for, refuse_clipping, write_sound

_STEP_16 = 2.0**-15


@dataclass(frozen=True)
class About:
    """What is known of a sound, and goes into its file.

    Attributes
    ----------
    name : str
    origin : Origin
    root : float or None
        MIDI note; None for no clear pitch.
    loop : Loop or None
        In frames of the source.
    markers : tuple of float
        In seconds.
    place, date, scene, take, state : str
        For names.
    """

    name: str
    origin: Origin = field(default_factory=Origin)
    root: float | None = None
    root_name: str = ""
    loop: Loop | None = None
    markers: tuple[float, ...] = ()
    place: str = ""
    scene: str = ""
    take: str = ""
    state: str = ""


def about_of(path: Path) -> About:
    """What a file says of itself: origin, root, loop, markers, scene and take."""
    info = sound_info(path)
    sampler, take, lineage = read_sampler(path), read_take(path), read_lineage(path)
    root = None if sampler is None else sampler.root
    if lineage is not None and lineage.get("root") is None:
        # a loop cannot be written without a key: what has no pitch says so in its lineage
        root = None
    return About(
        path.stem, read_origin(path), root=root,
        root_name="" if root is None else note_name(root)[0],
        loop=sampler.loops[0] if sampler and sampler.loops else None,
        markers=tuple(at / info.rate for at in take.markers),
        place=take.place, scene=take.scene, take=take.take,
    )  # fmt: skip


def name_fields(about: About, number: int) -> dict[str, str]:
    """What can stand in a template for names."""
    return {
        "name": about.name, "number": f"{number:03d}", "root": about.root_name.replace("#", "s"),
        "date": about.origin.date, "place": about.place, "scene": about.scene, "take": about.take,
        "snapshot": about.state,
    }  # fmt: skip


def file_stem(template: str, about: About, number: int) -> str:
    """The name of a file, without its suffix, by a template such as ``{number}_{name}_{root}``.

    Raises
    ------
    BloomError
        If the template has a field that there is not, or nothing is left of the name.
    """
    return safe_stem(by_template(template, name_fields(about, number)))


def export_sound(
    source: Path,
    target: Path,
    about: About,
    *,
    form: Format,
    rate: int | None = None,
    progress: Callable[[float], bool] = lambda share: True,
) -> None:
    """Write a sound with its loop, root, markers and origin, as far as the format holds them.

    Parameters
    ----------
    rate : int or None
        Frames a second; None keeps those of the source.

    Raises
    ------
    BloomError
        If it peaks above full scale and the format cannot hold that.
    Cancelled
        If ``progress`` returns False.
    """
    info = sound_info(source)
    wanted = rate_for(form, rate or info.rate)
    blocks = resampled_blocks(read_blocks(source), info.rate, wanted, info.channels)
    blocks = _unclipped(blocks, about.name, form)
    blocks = _watched(blocks, info.frames * wanted / info.rate, progress)
    if form == "wav16":
        blocks = _dithered(blocks)
    with written_whole(target) as beside:
        write_sound(beside, blocks, wanted, info.channels, form=form, origin=about.origin)
        mark_known(beside, about, wanted, wanted / info.rate)


def export_samples(
    samples: NDArray[np.float32],
    rate: int,
    target: Path,
    about: About,
    *,
    form: Format,
    rate_wanted: int | None = None,
) -> None:
    """Write samples of shape (frames, channels), as :func:`export_sound` does with a file."""
    source = target.with_suffix(".source.wav")
    try:
        blocks = iter([np.ascontiguousarray(samples)])
        write_sound(source, blocks, rate, samples.shape[1], form="wav32f")
        export_sound(source, target, about, form=form, rate=rate_wanted)
    finally:
        source.unlink(missing_ok=True)


def mark_known(path: Path, about: About, rate: int, ratio: float = 1.0) -> None:
    """Write root, loop and markers into a file of ``rate``, which is ``ratio`` times the source's."""
    loop = about.loop
    if loop is not None:
        loop = replace(loop, start=round(loop.start * ratio), end=round(loop.end * ratio))
    markers = [round(at * rate) for at in about.markers]
    mark_sound(path, rate, root=about.root, loop=loop, markers=markers)


def _unclipped(
    blocks: Iterator[NDArray[np.float32]], name: str, form: Format
) -> Iterator[NDArray[np.float32]]:
    for block in blocks:
        refuse_clipping(block, name, form)
        yield block


def _watched(
    blocks: Iterator[NDArray[np.float32]], frames: float, progress: Callable[[float], bool]
) -> Iterator[NDArray[np.float32]]:
    done = 0
    for block in blocks:
        done += len(block)
        if not progress(min(1.0, done / max(1.0, frames))):
            raise Cancelled("Stopped.")
        yield block


def _dithered(blocks: Iterator[NDArray[np.float32]]) -> Iterator[NDArray[np.float32]]:
    # the same every time, so that the same sound exported twice is the same file
    chance = np.random.default_rng(1992)
    for block in blocks:
        noise = chance.random(block.shape, np.float32) - chance.random(block.shape, np.float32)
        yield np.clip(block + np.float32(_STEP_16) * noise, -1.0, 1.0 - _STEP_16)
