"""``bloom render``: an instrument to a sound file."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from click.core import ParameterSource

from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.many import Made, ManyFiles, many_files
from innerbloom.cli.notes import NOTES
from innerbloom.cli.output import sound_format
from innerbloom.cli.progress import Told
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.deliver.to_file import Played

_PLAYED = ("notes", "seconds", "velocity")
"""Options of what is played, for which a MIDI file stands as well."""


@click.command()
@trust_option
@many_files("INSTRUMENT", "A .wav or .flac file.", suffix=".wav")
@click.option("--note", "notes", default="C3", show_default=True, type=NOTES,
              help="C3 is MIDI 48; several are a chord: C3,E3,G3.")  # fmt: skip
@click.option("--seconds", default=4.0, show_default=True, type=click.FloatRange(0.01, 3600),
              help="How long the key is held; the release follows.")  # fmt: skip
@click.option("--velocity", default=100, show_default=True, type=click.IntRange(1, 127))
@click.option(
    "--midi",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Play a MIDI file instead of a note.",
)
@click.option("--rate", default="48000", show_default=True, type=click.Choice(["44100", "48000", "96000"]),
              help="Hz; resampled from 48000.")  # fmt: skip
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@click.option("--seed", type=click.IntRange(0, 999_999), help="Another roll of the dice.")
@click.option("--takes", default=1, show_default=True, type=click.IntRange(1, 99),
              help="How many, each by the next seed; {take} in --out.")  # fmt: skip
def render(
    files: ManyFiles, midi: Path | None, rate: str, as_float: bool, seed: int | None, takes: int,
    **held: Any,
) -> None:  # fmt: skip
    """Render each INSTRUMENT, a document or a bundle of one or of an ensemble, to a file."""
    from innerbloom.core.deliver.to_file import Played

    _check_alone(midi)
    ensure_kernels()
    if midi is not None and not midi.is_file():
        raise BloomError(f"There is no MIDI file '{midi}'.")
    file = None if midi is None else midi.read_bytes()
    played = Played(held["notes"], held["seconds"], held["velocity"] / 127.0, file)
    how = _How(played, int(rate), as_float, seed, trusted())
    works = (partial(_rendered, how=how, take=take) for take in range(takes))
    files.each(*works, doing="Rendering", accepts=sound_format)


def _check_alone(midi: Path | None) -> None:
    context = click.get_current_context()
    for name in _PLAYED:
        if midi is not None and context.get_parameter_source(name) is not ParameterSource.DEFAULT:
            option = "--note" if name == "notes" else f"--{name}"
            raise click.UsageError(f"--midi says what is played: leave {option} out.")


@dataclass(frozen=True)
class _How:
    played: Played
    rate: int
    as_float: bool
    seed: int | None
    trust: bool


def _rendered(source: Path, out: Path, *, how: _How, take: int, told: Told) -> Made:
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.playable import SEEDS, compile_playable, seed_of, with_seed
    from innerbloom.core.deliver.sources import file_materials
    from innerbloom.core.deliver.to_file import render_to_file
    from innerbloom.core.sound.metadata import Origin

    with open_playable(source, trusted=how.trust) as (document, locate):
        if how.seed is not None or take:
            first = seed_of(document) if how.seed is None else how.seed
            document = with_seed(document, (first + take) % SEEDS)
        program = compile_playable(document, file_materials(locate))
        origin = Origin(title=document.name, notes=f"Rendered from {document.name}")
        seconds = render_to_file(
            program, how.played.events(document), out, origin,
            form=sound_format(out, how.as_float), rate=how.rate, told=told,
        )  # fmt: skip
    return Made(f"{seconds:.2f} s", {"seconds": round(seconds, 6), "name": document.name})
