"""Handing samples over: files with loop and root, an SFZ map, contents, credits and checksums."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from innerbloom.core.atomic import folder_written_whole
from innerbloom.core.deliver.contents import Contents, Entry, Lineage
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.export import About, export_samples
from innerbloom.core.deliver.papers import said_if_refused, write_papers
from innerbloom.core.deliver.samples.document import SampleSet
from innerbloom.core.deliver.samples.sampled import Sampled, SampledSet
from innerbloom.core.deliver.samples.sfz import Region, SfzMap
from innerbloom.core.digest import file_digest
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.names import by_template, safe_stem
from innerbloom.core.pitch_names import note_name
from innerbloom.core.sound.files import read_blocks
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import SUFFIX
from innerbloom.core.units import db_to_gain

FOLDER = "samples"
PEAK_DBTP = -1.0
"""True peak of the loudest sample: all are raised alike, and the map takes it back."""

Find = Callable[[int, bool], Path]
"""The float WAV of a note, or of its release, by its number."""


@dataclass(frozen=True)
class SampleFile:
    """A file to be written: of which note, and whether it is its release."""

    name: str
    note: Sampled
    released: bool


def sample_files(document: SampleSet, sampled: SampledSet) -> list[SampleFile]:
    """All files of a set, with their names.

    Raises
    ------
    BloomError
        If the template has a field that there is not, or gives one name to two of them.
    """
    found: list[SampleFile] = []
    known: set[str] = set()
    for note in sampled.notes:
        stem = safe_stem(by_template(document.names, _fields(document, note, sampled.turns)))
        for released in (False, True) if note.released else (False,):
            name = f"{stem}{'_release' if released else ''}{SUFFIX[document.form]}"
            # some systems do not tell upper case from lower
            if name.casefold() in known:
                raise BloomError(f"The template calls two files '{name}': put {{number}} into it.")
            known.add(name.casefold())
            found.append(SampleFile(name, note, released))
    return found


def _fields(document: SampleSet, note: Sampled, turns: int) -> dict[str, str]:
    root = note_name(note.key)[0].replace("#", "s").replace("♯", "s")
    turn = f"_{note.turn + 1}" if turns > 1 else ""
    return {
        "name": document.name, "root": root, "velocity": f"{note.velocity:03d}{turn}",
        "key": f"{note.key:03d}", "turn": str(note.turn + 1), "number": f"{note.number:03d}",
    }  # fmt: skip


def hand_over_samples(
    document: SampleSet,
    sampled: SampledSet,
    find: Find,
    folder: Path,
    credits: Iterable[Credit] = (),
    report: Callable[[float], bool] = lambda share: True,
) -> Contents:
    """Write all into a new folder; nothing is there until all of it is.

    Raises
    ------
    BloomError
        If nothing was sampled, the folder is there already, two names would be the same, or a file
        cannot be written.
    Cancelled
        If ``report`` gives False.
    """
    if not sampled.notes:
        raise BloomError("Nothing has been sampled yet: do that first.")
    files = sample_files(document, sampled)
    raised_db = PEAK_DBTP - max(one.peak for one in sampled.notes)
    entries = []
    with said_if_refused(), folder_written_whole(folder) as whole:
        (whole / FOLDER).mkdir()
        for number, file in enumerate(files):
            if not report(number / len(files)):
                raise Cancelled("Stopped.")
            sound = np.concatenate(list(read_blocks(find(file.note.number, file.released))))
            sound *= np.float32(db_to_gain(raised_db))
            path = whole / FOLDER / file.name
            export_samples(sound, file.note.rate, path, _about(document, file), form=document.form)
            entries.append(_entry(document, file, path, len(sound), raised_db))
        (whole / f"{safe_stem(document.name)}.sfz").write_text(
            sfz_map(document, sampled, files, -raised_db).text(), "utf-8"
        )
        contents = Contents(title=document.name, files=entries, credits=list(credits))
        write_papers(contents, whole)
    return contents


def sfz_map(
    document: SampleSet, sampled: SampledSet, files: list[SampleFile], volume_db: float
) -> SfzMap:
    """The map of a set's files."""
    regions = [
        Region(f"{FOLDER}/{one.name}", one.note.zone, None if one.released else one.note.looped,
               one.note.release_s, one.released)
        for one in files
    ]  # fmt: skip
    title = f"{document.name}, sampled from {document.instrument_name}"
    return SfzMap(title, regions, volume_db, sampled.turns, sampled.curve_of())


def _about(document: SampleSet, file: SampleFile) -> About:
    note = file.note
    origin = Origin(title=file.name.rsplit(".", 1)[0],
                    notes=f"A sample of {document.instrument_name}, seed {note.seed}")  # fmt: skip
    return About(document.name, origin, root=float(note.key), root_name=note_name(note.key)[0],
                 loop=None if file.released else note.looped)  # fmt: skip


def _entry(
    document: SampleSet, file: SampleFile, path: Path, frames: int, raised_db: float
) -> Entry:
    note = file.note
    loudness = None if note.loudness is None or file.released else note.loudness + raised_db
    return Entry(
        file=f"{FOLDER}/{path.name}", name=path.stem, seconds=round(frames / note.rate, 6),
        frames=frames, rate=note.rate, channels=2, loop=None if file.released else note.loop,
        loudness=None if loudness is None else round(loudness, 2),
        peak=round(note.peak + raised_db, 2), root=note.key,
        lineage=Lineage(instrument=document.instrument_name, key=note.key,
                        velocity=note.velocity, seed=note.seed),
        sha256=file_digest(path),
    )  # fmt: skip
