"""``bloom sample``: an instrument as samples with an SFZ map, ready for other tools."""

from __future__ import annotations

from pathlib import Path
from typing import Any, get_args

import click

from innerbloom.cli.batching import batch_options, declared_options
from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.progress import progress, quiet_option
from innerbloom.cli.results import json_option, result
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.deliver.samples.document import SampleFormat
from innerbloom.core.deliver.samples.settings import SAMPLES
from innerbloom.core.errors import BloomError


@click.command()
@quiet_option
@json_option
@trust_option
@click.argument("instrument", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="A folder that is not there yet.")  # fmt: skip
@click.option("--names", default="{name}_{root}_{velocity}", show_default=True,
              help="Template; {name}, {root}, {key}, {velocity}, {turn}, {number}.")  # fmt: skip
@click.option("--title", default="", help="{name} in the template; the instrument's if left out.")
@click.option("--format", "form", default="wav24", show_default=True,
              type=click.Choice(get_args(SampleFormat)))  # fmt: skip
@declared_options(SAMPLES)
@batch_options
def sample(
    instrument: Path, out: Path, names: str, title: str, form: Any,
    jobs: int | None, scheduler: str, **settings: Any,
) -> None:  # fmt: skip
    """Sample INSTRUMENT over keys and velocities, and write the files with a map of them."""
    from innerbloom.batch.sampling import sample_instrument
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.samples.document import SampleSet
    from innerbloom.core.deliver.samples.settings import SampleSettings
    from innerbloom.core.deliver.samples.writing import hand_over_samples
    from innerbloom.core.ensemble.document import Ensemble
    from innerbloom.store.linked import linked_store
    from innerbloom.store.sample_folders import SampleFolders

    if out.exists():
        raise BloomError(f"'{out}' is there already: choose another folder.")
    ensure_kernels()
    with open_playable(instrument, trusted=trusted()) as (document, locate):
        if isinstance(document, Ensemble):
            raise BloomError("One instrument is sampled at a time: this is an ensemble.")
        asked = SampleSet(
            name=title or document.name, instrument_name=document.name, names=names, form=form,
            settings=SampleSettings.model_validate(settings),
        )  # fmt: skip
        with linked_store(document, locate) as (store, hashed), progress("Sampling") as told:
            folder, sampled, made = sample_instrument(
                hashed, asked.settings, store, told, count=jobs, scheduler=scheduler
            )
            folders = SampleFolders(store)
            contents = hand_over_samples(
                asked,
                sampled,
                lambda number, released: folders.sound(folder, number, released),
                out,
            )
    for problem in made.problems:
        click.echo(problem, err=True)
    keys = len({one.key for one in sampled.notes})
    files = contents.model_dump(mode="json")["files"]
    result(
        {"output": str(out), "keys": keys, "problems": made.problems, "files": files},
        f"Wrote {len(files)} files of {keys} keys to {out}.",
    )
