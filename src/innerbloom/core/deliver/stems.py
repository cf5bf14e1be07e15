"""Stems handed over: one a lane and the whole, with timecode, loudness and what belongs to them.

All stems are raised or lowered alike, so that they add up to the whole, sample for sample; each lasts as
long as the picture and begins with it. Nothing is limited: what would pass the ceiling is said before
(:mod:`.picture_ready`).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from contextlib import ExitStack
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import soundfile as sf

from innerbloom.core.atomic import folder_written_whole
from innerbloom.core.deliver.credits import Credit, credits_text
from innerbloom.core.deliver.papers import CREDITS, said_if_refused, write_checksums
from innerbloom.core.deliver.picture_papers import cue_csv, cue_page
from innerbloom.core.deliver.picture_ready import leaving
from innerbloom.core.deliver.recipes import Recipes, SoundRecipe
from innerbloom.core.errors import BloomError
from innerbloom.core.names import safe_stem
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.sound.metadata import Origin, add_bext, forget_the_clock
from innerbloom.core.sound.takes import Take, add_ixml
from innerbloom.core.timeline.document import Lane, Timeline
from innerbloom.core.timeline.interchange import as_edl, as_otio
from innerbloom.core.timeline.measure import (
    Piece,
    Pieces,
    TimelineMeasure,
    make_up_db,
    pieces_of,
    told,
)
from innerbloom.core.timeline.mix import MIX_RATE, TimelineMix
from innerbloom.core.timeline.timecode import RATES, samples_of

WHOLE, RECIPES = "whole", "recipes.json"
_MOST_BYTES = 4_000_000_000
_SUBTYPES = {"WAV 24-bit": ("PCM_24", 3), "WAV float": ("FLOAT", 4)}


@dataclass(frozen=True)
class Stem:
    """One stem that is written: its file, and its measured level at the ear of who receives it."""

    lane: str
    file: str
    loudness: float | None
    peak: float | None


def stem_names(timeline: Timeline) -> dict[str, str]:
    """Files of stems by the id of their lane; that of the whole is :data:`WHOLE`.

    Raises
    ------
    BloomError
        If nothing would be handed over, or two stems would have one name.
    """
    lanes = leaving(timeline)
    if not lanes:
        raise BloomError("No lane has a sound: place one first.")
    title = plain_name(timeline.name)
    names = {lane.id: f"{title}_{plain_name(lane.name)}.wav" for lane in lanes}
    names[WHOLE] = f"{title}_whole.wav"
    known: dict[str, str] = {}
    for id_, name in names.items():
        if name.casefold() in known:
            raise BloomError(f"Two stems would be called '{name}': give their lanes other names.")
        known[name.casefold()] = id_
    return names


def plain_name(name: str) -> str:
    """A name as every file system takes it."""
    try:
        return safe_stem(re.sub(r"\s+", "_", name), 80)
    except BloomError:
        return "untitled"


def hand_over_stems(
    mix: TimelineMix,
    found: TimelineMeasure,
    folder: Path,
    credits: Iterable[Credit],
    recipes: Iterable[SoundRecipe] = (),
    report: Callable[[float], bool] = lambda share: True,
    pieces: Pieces | None = None,
) -> list[Stem]:
    """Write all into a new folder; nothing is there until all of it is.

    Parameters
    ----------
    found : TimelineMeasure
        Of this very timeline, by which the gain is told.
    pieces : callable, optional
        Reads the mix; done here if left out.

    Raises
    ------
    BloomError
        If two names would be the same, or a file cannot be written.
    Cancelled
        If ``report`` gives False.
    """
    timeline = mix.timeline
    names = stem_names(timeline)
    _, width = _SUBTYPES[_form(timeline)]
    if mix.frames * 2 * width > _MOST_BYTES:
        raise BloomError("A WAV file holds three hours at most: make the picture shorter.")
    with said_if_refused(), folder_written_whole(folder) as whole:
        read = (pieces or pieces_of(mix))(report)
        stems = _write_stems(timeline, make_up_db(timeline, found), names, whole, read)
        _write_papers(timeline, stems, names, whole, list(credits))
        (whole / RECIPES).write_text(
            Recipes(sounds=list(recipes)).model_dump_json(indent=1) + "\n", "utf-8"
        )
        write_checksums(whole)
    return stems


def _form(timeline: Timeline) -> str:
    return str(timeline.settings.form)  # type: ignore[attr-defined]


def _write_stems(
    timeline: Timeline, gain_db: float, names: dict[str, str], folder: Path,
    pieces: Iterable[Piece],
) -> list[Stem]:  # fmt: skip
    gain = np.float32(10.0 ** (gain_db / 20.0))
    meters = {id_: LevelMeter(MIX_RATE, 2) for id_ in names}
    subtype, _ = _SUBTYPES[_form(timeline)]
    with ExitStack() as stack:
        files = {
            id_: stack.enter_context(
                sf.SoundFile(folder / name, "w", MIX_RATE, 2, subtype, format="WAV")
            )
            for id_, name in names.items()
        }
        for piece in pieces:
            for id_, sound in {**piece.lanes, WHOLE: piece.whole}.items():
                files[id_].write(sound * gain)
                meters[id_].feed(sound * gain)
    lanes = {lane.id: lane for lane in timeline.lanes}
    return [_finished(timeline, lanes.get(id_), folder / name, meters[id_])
            for id_, name in names.items()]  # fmt: skip


def _finished(timeline: Timeline, lane: Lane | None, path: Path, meter: LevelMeter) -> Stem:
    """Tell a stem's file what it is, when it begins and how loud it is."""
    if _form(timeline) == "WAV float":
        forget_the_clock(path)
    name = WHOLE if lane is None else lane.name
    reference = samples_of(timeline.start, timeline.rate, MIX_RATE)
    clock = timeline.timecode(0)
    levels = told(meter)
    note = f"{timeline.name}, {name}, from {clock}"
    origin = Origin(notes=note, date=datetime.now(UTC).date().isoformat())
    hours, minutes, seconds = clock[:8].split(":")
    add_bext(path, origin, time_of_day=f"{hours}:{minutes}:{seconds}", time_reference=reference,
             loudness=levels)  # fmt: skip
    take = Take(scene=timeline.name, take=name, note=note, since_midnight=reference,
                frames_a_second=float(RATES[timeline.rate]))  # fmt: skip
    add_ixml(path, take, project=timeline.name, drop=timeline.drop, sampling=MIX_RATE)
    id_ = WHOLE if lane is None else lane.id
    return Stem(id_, path.name, levels.integrated, levels.true_peak)


def _write_papers(
    timeline: Timeline, stems: list[Stem], names: dict[str, str], folder: Path,
    credits: list[Credit],
) -> None:  # fmt: skip
    title = plain_name(timeline.name)
    lanes = {id_: name for id_, name in names.items() if id_ != WHOLE}
    (folder / f"{title}.otio").write_text(as_otio(timeline, lanes), "utf-8")
    for lane in leaving(timeline):
        edl = folder / names[lane.id].replace(".wav", ".edl")
        edl.write_text(as_edl(timeline, lane, names[lane.id]), "utf-8")
    (folder / f"{title}_cues.csv").write_text(cue_csv(timeline), "utf-8", newline="")
    levels = [(one.file, one.loudness, one.peak) for one in stems]
    (folder / f"{title}_cues.html").write_text(cue_page(timeline, levels, credits), "utf-8")
    (folder / CREDITS).write_text(credits_text(credits), "utf-8")
