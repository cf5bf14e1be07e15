"""``bloom take``: a take as a file, played again, its moments, its hands as MIDI."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.output import output_file, sound_format
from innerbloom.cli.progress import progress, quiet_option
from innerbloom.cli.results import json_option, result, wants_json
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.materials.protocol import Locate
    from innerbloom.core.performance.take import Take
    from innerbloom.core.performance.take_format import TakeHeader


@click.group()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@click.pass_context
def take(context: click.Context, file: Path) -> None:
    """Work on the take in FILE, as the page gives it."""
    if not file.is_file():
        raise BloomError(f"There is no take '{file}'.")
    context.obj = file


@contextmanager
def _opened(file: Path) -> Iterator[tuple[TakeHeader, Take, Path]]:
    """A take, and the folder it is unpacked in."""
    from innerbloom.core.deliver.take_file import unpack_take

    with tempfile.TemporaryDirectory() as folder:
        header, opened = unpack_take(file, Path(folder))
        yield header, opened, Path(folder)


def _locate(folder: Path) -> Locate:
    """Finds recordings by their hash: in a project, or among the files of a folder."""
    from innerbloom.core.digest import file_digest

    by_digest: dict[str, Path] = {}
    inside = folder / "recordings"
    if inside.is_dir():
        by_digest = {path.stem: path for path in inside.rglob("*.*")}
    else:
        by_digest = {file_digest(path): path for path in folder.rglob("*.*") if path.is_file()}

    def locate(sound):  # type: ignore[no-untyped-def]
        found = by_digest.get(sound.recording or "")
        if found is None:
            raise BloomError(
                f"The recording '{sound.recording or sound.path}' is not in {folder}: "
                "say with --sounds where it is."
            )
        return found

    return locate


@take.command()
@quiet_option
@json_option
@click.option("--sounds", default=Path(), type=click.Path(path_type=Path, file_okay=False),
              help="A project, or a folder with the recordings that it plays.")  # fmt: skip
@output_file("A .wav or .flac file, 48 kHz.")
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@click.option("--seed", type=click.IntRange(0, 999_999), help="Other chance.")
@click.option("--slower", default=1.0, show_default=True, type=click.FloatRange(0.1, 10),
              help="How many times as long; pitches stay.")  # fmt: skip
@click.option(
    "--layer", "layers", multiple=True, help="Only this layer, by its id; may be repeated."
)
@click.option("--snapshot", help="Through this snapshot of what it was played on, by its id.")
@click.option("--stream", help="Only this shared stream, by its id; 'main' for what goes past all.")
@click.option(
    "--fine", is_flag=True, help="In high quality: layers are driven at four times the rate."
)
@click.pass_obj
def render(
    file: Path, /, sounds: Path, out: Path, as_float: bool, **how: Any
) -> None:  # fmt: skip
    """Play the take again, from its hands, to a file."""
    from innerbloom.core.deliver.again import Digest, Way, played_again
    from innerbloom.core.deliver.replay import limited
    from innerbloom.core.deliver.sources import file_materials
    from innerbloom.core.engine import ENGINE_RATE
    from innerbloom.core.sound.metadata import Origin
    from innerbloom.core.sound.writing import write_sound

    form = sound_format(out, as_float)
    ensure_kernels()
    # the other options are called as what they set
    way, digest = Way(**how), Digest()
    with (
        _opened(file) as (header, opened, _),
        progress("Playing") as told,
    ):
        blocks = digest.of(played_again(opened, way, file_materials(_locate(sounds)), told))
        ceiling = float(opened.document["settings"]["ceiling"])
        origin = Origin(title=out.stem, notes=f"A take of {header.name}, played again")
        frames = write_sound(
            out, limited(blocks, ceiling), ENGINE_RATE, 2, form=form, origin=origin
        )
    # whether the samples ahead of the limiter are those that were recorded
    same = digest.hexdigest() == header.sha256 if way.same and header.sha256 else None
    seconds = frames / ENGINE_RATE
    words = {None: "", True: " The same to the bit.", False: " Not the same to the bit."}[same]
    result(
        {"output": str(out), "seconds": seconds, "same": same},
        f"Wrote {out}, {seconds:.2f} s.{words}",
    )


@take.command()
@click.option("--most", default=12, show_default=True, type=click.IntRange(1, 40))
@click.option("--sensitivity", default=50.0, show_default=True, type=click.FloatRange(0, 100),
              help="In %; more finds more.")  # fmt: skip
@json_option
@click.pass_obj
def moments(file: Path, most: int, sensitivity: float) -> None:
    """List what is worth keeping of it, the most promising first."""
    from innerbloom.core.analysis.moments import Wanted, find_moments
    from innerbloom.core.analysis.take_features import FeatureCollector
    from innerbloom.core.performance.take import RATE
    from innerbloom.core.performance.take_document import reason_words
    from innerbloom.core.performance.take_format import SOUND
    from innerbloom.core.prepare.source import FileSource
    from innerbloom.core.sound.files import read_blocks

    with _opened(file) as (_, opened, folder):
        path = folder / SOUND
        if not path.is_file():
            raise BloomError("This take holds no sound: render it first.")
        collector = FeatureCollector(RATE)
        with progress("Listening"):
            for block in read_blocks(path):
                collector.feed(block)
            features = collector.features(FileSource(path).read, RATE)
            found = find_moments(features, Wanted(sensitivity / 100.0), opened.marks())[:most]
    for rank, one in enumerate(found, 1):
        words = reason_words(one.reason, one.seconds)
        about = {"start_s": one.start, "end_s": one.end, "reason": one.reason, "words": words}
        result(about, f"{rank:2}  {one.start:8.2f} to {one.end:8.2f} s  {words}")
    if not found and not wants_json():
        click.echo("Nothing in it stands out.")


@take.command()
@quiet_option
@json_option
@output_file("A .mid file.")
@click.pass_obj
def midi(file: Path, out: Path) -> None:
    """Write its hands as a MIDI file with an MPE zone."""
    from innerbloom.core.atomic import written_whole
    from innerbloom.core.performance.midi_out import midi_of

    with _opened(file) as (header, opened, _), written_whole(out) as beside:
        beside.write_bytes(midi_of(opened, header.tempo))
    result({"output": str(out)}, f"Wrote {out}.")
