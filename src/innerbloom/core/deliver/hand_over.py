"""Handing variations over: files named by a template, their contents, credits and checksums, whole or not at all."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from innerbloom.core.atomic import folder_written_whole
from innerbloom.core.deliver.contents import Contents, Entry, Lineage
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.export import About, export_samples, file_stem
from innerbloom.core.deliver.papers import said_if_refused, write_papers
from innerbloom.core.deliver.variations import Draw, Variation
from innerbloom.core.digest import file_digest
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.pitch_names import note_name
from innerbloom.core.sound.files import sound_info
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import SUFFIX, Format


@dataclass(frozen=True)
class HandOver:
    """How variations are written.

    Attributes
    ----------
    title : str
        What they are variations of; ``{name}`` in the template.
    instrument : str
        Name of the instrument that played them.
    template : str
        For names, such as ``{name}_{number}_{root}``.
    rate : int or None
        Frames a second; None for those of the engine.
    take : str
        Name of the take that was played, where it was no single note.
    tags : tuple of str
    states : dict of str to str
        Names of snapshots by their ids; ``{snapshot}`` in the template.
    """

    title: str
    instrument: str
    template: str = "{name}_{number}"
    form: Format = "wav24"
    rate: int | None = None
    credits: tuple[Credit, ...] = ()
    take: str = ""
    tags: tuple[str, ...] = ()
    states: dict[str, str] = field(default_factory=dict)

    def state(self, draw: Draw) -> str:
        """Name of the snapshot in which one was played; empty for none."""
        return self.states.get(draw.snapshot or "", "")


def file_names(draws: Iterable[Draw], how: HandOver) -> list[str]:
    """The names of all files, with their suffixes.

    Raises
    ------
    BloomError
        If the template gives one name to two of them, or has a field that there is not.
    """
    names: list[str] = []
    known: dict[str, int] = {}
    for number, draw in enumerate(draws, 1):
        about = About(how.title, root_name=note_name(draw.key)[0], state=how.state(draw))
        name = f"{file_stem(how.template, about, number)}{SUFFIX[how.form]}"
        # some systems do not tell upper case from lower
        before = known.setdefault(name.casefold(), number)
        if before != number:
            raise BloomError(
                f"The template calls the files {before} and {number} both '{name}': "
                "put {number} into it."
            )
        names.append(name)
    return names


def _about(one: Variation, how: HandOver) -> About:
    recordists = ", ".join(dict.fromkeys(c.recordist for c in how.credits if c.recordist))
    licences = ", ".join(dict.fromkeys(c.licence for c in how.credits if c.licence))
    return About(
        name=how.title,
        origin=Origin(
            title=how.title, recordist=recordists, licence=licences,
            notes=f"A variation of {how.instrument}, seed {one.draw.seed}",
        ),
        root=float(one.draw.key),
        root_name=note_name(one.draw.key)[0],
        loop=Loop(0, len(one.sound)) if one.loop else None,
    )  # fmt: skip


def hand_over(
    made: list[Variation],
    how: HandOver,
    folder: Path,
    report: Callable[[float], bool] = lambda share: True,
) -> Contents:
    """Write all files with their contents, credits and checksums into a new folder.

    Nothing is there until all of it is.

    Raises
    ------
    BloomError
        If the folder is there already, two names would be the same, or a file cannot be written.
    Cancelled
        If ``report`` gives False.
    """
    names = file_names([one.draw for one in made], how)
    with said_if_refused(), folder_written_whole(folder) as whole:
        entries = []
        for number, (one, name) in enumerate(zip(made, names, strict=True)):
            if not report(number / len(made)):
                raise Cancelled("Stopped.")
            entries.append(_written(one, whole / name, how))
        contents = Contents(title=how.title, files=entries, credits=list(how.credits))
        write_papers(contents, whole)
    return contents


def _written(one: Variation, path: Path, how: HandOver) -> Entry:
    export_samples(one.sound, ENGINE_RATE, path, _about(one, how), form=how.form,
                   rate_wanted=how.rate)  # fmt: skip
    info = sound_info(path)
    return Entry(
        file=path.name, name=path.stem, seconds=round(info.frames / info.rate, 6),
        frames=info.frames, rate=info.rate, channels=info.channels,
        loop=(0, info.frames) if one.loop else None,
        loudness=round(one.loudness, 2) if np.isfinite(one.loudness) else None,
        peak=round(one.peak, 2), root=one.draw.key, unlike=round(one.nearest, 4), tags=list(how.tags),
        lineage=Lineage(
            instrument=how.instrument, key=one.draw.key, velocity=one.draw.velocity,
            seed=one.draw.seed, snapshot=how.state(one.draw), take=how.take,
        ),
        sha256=file_digest(path),
    )  # fmt: skip
