"""``bloom process``: any sound through a chain of effects."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

import click

from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.many import Made, ManyFiles, many_files
from innerbloom.cli.output import sound_format
from innerbloom.cli.progress import Told
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError


@click.command()
@trust_option
@many_files("SOUND", "A .wav or .flac file, 48 kHz.", suffix=".wav")
@click.option("--chain", "chain_file", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="chain.json, as instruments keep it.")  # fmt: skip
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
def process(files: ManyFiles, chain_file: Path, as_float: bool) -> None:
    """Send each SOUND through a chain of effects, to a file.

    Sounds that the chain's effects work with are found beside it.
    """
    from innerbloom.core.instrument.chain_document import parse_chain

    if not chain_file.is_file():
        raise BloomError(f"There is no chain '{chain_file}'.")
    ensure_kernels()
    chain = parse_chain(chain_file.read_bytes()).model_dump(mode="json")
    folder, trust = chain_file.parent, trusted()
    work = partial(_processed, chain=chain, folder=folder, as_float=as_float, trust=trust)
    files.each(work, doing="Processing", accepts=sound_format)


def _processed(
    source: Path,
    out: Path,
    *,
    chain: dict[str, Any],
    folder: Path,
    as_float: bool,
    trust: bool,
    told: Told,
) -> Made:
    from innerbloom.core.deliver.sources import beside
    from innerbloom.core.deliver.to_file import process_to_file
    from innerbloom.core.instrument.chain_document import parse_chain
    from innerbloom.core.materials.held import FileMaterials

    materials = FileMaterials(beside(folder, trusted=trust))
    form = sound_format(out, as_float)
    seconds = process_to_file(source, parse_chain(chain), materials, out, form=form, told=told)
    return Made(f"{seconds:.2f} s", {"seconds": round(seconds, 6)})
