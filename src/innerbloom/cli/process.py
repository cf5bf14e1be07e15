"""``bloom process``: any sound through a chain of effects."""

from __future__ import annotations

import sys
from pathlib import Path

import click
from rich.console import Console
from rich.progress import Progress

from innerbloom.cli.output import output_file
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError


@click.command()
@trust_option
@click.argument("sound", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--chain", "chain_file", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="chain.json, as instruments keep it.")  # fmt: skip
@output_file("A .wav or .flac file, 48 kHz.")
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
def process(sound: Path, chain_file: Path, out: Path, as_float: bool) -> None:
    """Send SOUND through a chain of effects, to a file.

    Sounds that the chain's effects work with are found beside it.
    """
    import numpy as np
    import soxr

    from innerbloom.core.deliver.processing import process_blocks
    from innerbloom.core.deliver.sources import beside
    from innerbloom.core.dsp.rates import RATE
    from innerbloom.core.instrument.chain_document import parse_chain
    from innerbloom.core.materials.held import FileMaterials
    from innerbloom.core.sound.files import read_stretch, sound_info
    from innerbloom.core.sound.metadata import Origin
    from innerbloom.core.sound.writing import format_for, write_sound

    try:
        form = "wav32f" if as_float and out.suffix.lower() == ".wav" else format_for(out)
    except ValueError as error:
        raise click.UsageError(str(error)) from error
    if not chain_file.is_file():
        raise BloomError(f"There is no chain '{chain_file}'.")
    chain = parse_chain(chain_file.read_bytes())
    materials = FileMaterials(beside(chain_file.parent, trusted=trusted()))
    samples, rate = read_stretch(sound, 0.0, None, sound_info(sound).seconds)
    stereo = np.ascontiguousarray(samples[:, [0, -1]])
    at_rate = np.asarray(soxr.resample(stereo, rate, RATE, quality="VHQ"), np.float32)
    with Progress(console=Console(file=sys.stderr), transient=True) as bar:
        task = bar.add_task("Processing", total=len(at_rate))

        def told():  # type: ignore[no-untyped-def]
            for block in process_blocks(chain, at_rate, materials):
                bar.advance(task, len(block))
                yield block

        origin = Origin(title=sound.stem, notes=f"{sound.name} through {chain.name}")
        frames = write_sound(out, told(), RATE, 2, form=form, origin=origin)  # type: ignore[arg-type]
    click.echo(f"Wrote {out}, {frames / RATE:.2f} s.")
