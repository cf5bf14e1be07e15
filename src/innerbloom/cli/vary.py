"""``bloom vary``: many variations of one effect, the most unlike kept, ready to hand over."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any, get_args

import click
from rich.console import Console
from rich.progress import Progress

from innerbloom.core.declare.parameters import Choice
from innerbloom.core.deliver.variation_settings import VARIATIONS
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.writing import Format


def _options(command: Any) -> Any:
    """An option for each setting, as it is declared."""
    for one in reversed(VARIATIONS):
        name = f"--{one.id.replace('_', '-')}"
        kind: Any
        if isinstance(one, Choice):
            kind = click.Choice(one.options)
        elif one.whole_number:
            kind = click.IntRange(int(one.low), int(one.high))
        else:
            kind = click.FloatRange(one.low, one.high)
        default = one.default if isinstance(one, Choice) else kind.convert(one.default, None, None)
        command = click.option(
            name, one.id, type=kind, default=default, show_default=True, help=one.help
        )(command)
    return command


@click.command()
@click.argument("instrument", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="A folder that is not there yet.")  # fmt: skip
@click.option("--names", default="{name}_{number}", show_default=True,
              help="Template; {name}, {number}, {root}.")  # fmt: skip
@click.option("--title", default="", help="{name} in the template; the instrument's if left out.")
@click.option("--format", "form", default="wav24", show_default=True,
              type=click.Choice(get_args(Format)))  # fmt: skip
@click.option("--rate", type=click.IntRange(8_000, 192_000), help="Hz; 48000 if left out.")
@_options
def vary(
    instrument: Path, out: Path, names: str, title: str, form: Any, rate: int | None, **settings: Any
) -> None:  # fmt: skip
    """Draw variations of INSTRUMENT, keep the most unlike, and write them with their contents."""
    from innerbloom.core.deliver.hand_over import HandOver, hand_over
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.sources import file_materials
    from innerbloom.core.deliver.variation_settings import VariationSettings
    from innerbloom.core.deliver.variations import variations
    from innerbloom.core.ensemble.document import Ensemble

    if out.exists():
        raise BloomError(f"'{out}' is there already: choose another folder.")
    with (
        open_playable(instrument) as (document, locate),
        Progress(console=Console(file=sys.stderr), transient=True) as bar,
    ):
        if isinstance(document, Ensemble):
            raise BloomError("Variations are drawn of one instrument: this is an ensemble.")
        task = bar.add_task("Drawing", total=1.0)

        def told(share: float) -> bool:
            bar.update(task, completed=share)
            return True

        made = variations(document, VariationSettings(**settings), file_materials(locate), told)
        states = {one.id: one.name for one in document.snapshots}
        how = HandOver(title or document.name, document.name, names, form, rate, states=states)
        contents = hand_over(made, how, out)
    least = min((one.unlike for one in contents.files), default=0.0)
    click.echo(
        f"Wrote {len(contents.files)} files to {out}; the two most alike are {least:.2f} apart."
    )
