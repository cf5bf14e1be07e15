"""``bloom swap``: an instrument tried on other recordings, ranked by how far its character holds."""

from __future__ import annotations

import csv
from pathlib import Path
from typing import Any

import click

from innerbloom.cli.batching import batch_options
from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.notes import NOTE
from innerbloom.cli.progress import progress, quiet_option
from innerbloom.cli.results import json_option, result
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError


@click.command()
@quiet_option
@json_option
@trust_option
@click.argument("instrument", type=click.Path(path_type=Path))
@click.argument("recordings", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="A folder that is not there yet.")  # fmt: skip
@click.option("--note", default="C4", show_default=True, type=NOTE, help="Key that is held.")
@click.option("--seconds", default=4.0, show_default=True, type=click.FloatRange(1.0, 20.0),
              help="How long it is held.")  # fmt: skip
@batch_options
def swap(
    instrument: Path, recordings: tuple[Path, ...], out: Path, note: float, seconds: float,
    jobs: int | None, scheduler: str,
) -> None:  # fmt: skip
    """Try INSTRUMENT on each of RECORDINGS; write sounds, bundles and a table, the best first."""
    from innerbloom.batch.pools import pool_for
    from innerbloom.batch.swapping import swap_sheet
    from innerbloom.core.atomic import folder_written_whole
    from innerbloom.core.deliver.bundle import write_bundle
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.ensemble.document import Ensemble
    from innerbloom.core.instrument.document import parse_instrument
    from innerbloom.core.names import safe_stem
    from innerbloom.core.sound.writing import write_sound
    from innerbloom.store.linked import linked_store

    if out.exists():
        raise BloomError(f"'{out}' is there already: choose another folder.")
    ensure_kernels()
    with open_playable(instrument, trusted=trusted()) as (document, locate):
        if isinstance(document, Ensemble):
            raise BloomError("One instrument is tried at a time: this is an ensemble.")
        with (
            linked_store(document, locate) as (store, hashed),
            pool_for(store, len(recordings), count=jobs, scheduler=scheduler) as pool,
            progress("Trying on") as told,
        ):
            candidates, problems = _candidates(store, recordings)
            made = swap_sheet(
                hashed.model_dump(mode="json"), candidates, (note, seconds), store, pool, told
            )
            with folder_written_whole(out) as folder:
                for number, (_, plain, found, _) in enumerate(made.entries):
                    stem = safe_stem(f"{number:02d} {_name(made.entries[number])}")
                    write_sound(folder / f"{stem}.wav", iter([found.sound]), 48_000, 2)
                    if number:
                        write_bundle(parse_instrument(plain), store.locate, folder / f"{stem}.zip")
                _write_table(folder / "sheet.csv", made.entries)
    problems = [*problems, *made.problems]
    for problem in problems:
        click.echo(problem, err=True)
    result(
        {"output": str(out), "problems": problems, "entries": _rows(made.entries)},
        f"Wrote {len(made.entries) - 1} of {len(recordings)} to {out}, the nearest first.",
    )


def _name(entry: Any) -> str:
    return "as it is" if entry[0] is None else str(entry[0].name)


def _candidates(store: Any, recordings: tuple[Path, ...]) -> tuple[list[Any], list[str]]:
    """Recordings with their roots; what cannot be read, a sentence each."""
    from innerbloom.core.analysis.examine import examine
    from innerbloom.core.deliver.swap import Candidate
    from innerbloom.core.pitch_names import hz_to_note
    from innerbloom.store.linked import link

    found, problems = [], []
    for path in recordings:
        try:
            root = examine(path).root_hz
        except BloomError as error:
            problems.append(str(error))
            continue
        note = None if root is None else hz_to_note(root)
        found.append(Candidate(link(store, path), path.stem, note))
    if not found:
        raise BloomError(problems[0])
    return found, problems


_COLUMNS = ("number", "recording", "together", "timbre", "level", "movement")


def _rows(entries: list[Any]) -> list[dict[str, Any]]:
    """What is said of each entry, the instrument as it is first."""
    rows = []
    for number, entry in enumerate(entries):
        held = entry[3]
        figures = (held.together, held.timbre, held.envelope, held.movement)
        values = (number, _name(entry), *(round(float(one), 3) for one in figures))
        rows.append(dict(zip(_COLUMNS, values, strict=True)))
    return rows


def _write_table(path: Path, entries: list[Any]) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        table = csv.DictWriter(file, _COLUMNS)
        table.writeheader()
        table.writerows(_rows(entries))
