"""``bloom vary``: many variations of one effect, the most unlike kept, ready to hand over."""

from __future__ import annotations

from pathlib import Path
from typing import Any, get_args

import click

from innerbloom.cli.batching import batch_options, declared_options
from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.progress import progress, quiet_option
from innerbloom.cli.results import json_option, result
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.deliver.variation_settings import VARIATIONS
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.writing import Format


@click.command()
@quiet_option
@json_option
@trust_option
@click.argument("instrument", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="A folder that is not there yet.")  # fmt: skip
@click.option("--names", default="{name}_{number}", show_default=True,
              help="Template; {name}, {number}, {root}.")  # fmt: skip
@click.option("--title", default="", help="{name} in the template; the instrument's if left out.")
@click.option("--format", "form", default="wav24", show_default=True,
              type=click.Choice(get_args(Format)))  # fmt: skip
@click.option("--rate", type=click.IntRange(8_000, 192_000), help="Hz; 48000 if left out.")
@declared_options(VARIATIONS)
@batch_options
def vary(
    instrument: Path, out: Path, names: str, title: str, form: Any, rate: int | None,
    jobs: int | None, scheduler: str, **settings: Any,
) -> None:  # fmt: skip
    """Draw variations of INSTRUMENT, keep the most unlike, and write them with their contents."""
    from innerbloom.batch.pools import pool_for
    from innerbloom.batch.varying import Drawing
    from innerbloom.core.deliver.hand_over import HandOver, hand_over
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.variation_settings import VariationSettings
    from innerbloom.core.deliver.variations import kept_of
    from innerbloom.core.ensemble.document import Ensemble
    from innerbloom.store.linked import linked_store

    if out.exists():
        raise BloomError(f"'{out}' is there already: choose another folder.")
    ensure_kernels()
    with open_playable(instrument, trusted=trusted()) as (document, locate):
        if isinstance(document, Ensemble):
            raise BloomError("Variations are drawn of one instrument: this is an ensemble.")
        asked = VariationSettings(**settings)
        with (
            linked_store(document, locate) as (store, hashed),
            pool_for(store, settings["drawn"], count=jobs, scheduler=scheduler) as pool,
            progress("Drawing") as told,
        ):
            made = kept_of(list(Drawing(hashed, asked, (), store, pool, told)), asked)
        states = {one.id: one.name for one in document.snapshots}
        how = HandOver(title or document.name, document.name, names, form, rate, states=states)
        contents = hand_over(made, how, out)
    least = min((one.unlike or 0.0 for one in contents.files), default=0.0)
    result(
        {
            "output": str(out),
            "least_unlike": least,
            "files": contents.model_dump(mode="json")["files"],
        },
        f"Wrote {len(contents.files)} files to {out}; the two most alike are {least:.2f} apart.",
    )
