"""``bloom spectrum`` and ``bloom morph``: taking apart, playing, morphing in the shell."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.many import Made, ManyFiles, many_files
from innerbloom.cli.notes import NOTE
from innerbloom.cli.output import has_suffix, output_file, sound_format
from innerbloom.cli.progress import Told, progress, quiet_option
from innerbloom.cli.results import json_option, result
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.declare.sound import Sound
    from innerbloom.core.declare.spectrum_settings import Analysis
    from innerbloom.core.instrument.document import Instrument

_TARGET_SECONDS = 3_600.0


@click.group()
def spectrum() -> None:
    """Take sounds apart into spectra, and play them."""


@spectrum.command()
@many_files("FILE", "A .spectrum file.", suffix=".spectrum")
@click.option("--root", type=NOTE, help="A note such as A2 or 45.3; else found.")
@click.option("--window", default=None, type=click.FloatRange(10, 200), help="Milliseconds.")
@click.option("--partials", default=80, show_default=True, type=click.IntRange(1, 128))
@click.option("--noise", default=50.0, show_default=True, type=click.FloatRange(0, 100),
              help="How readily a partial counts as noise, in %.")  # fmt: skip
@click.option("--strikes", default=50.0, show_default=True, type=click.FloatRange(0, 100),
              help="How readily beginnings are kept as they are, in %.")  # fmt: skip
def analyse(
    files: ManyFiles, root: float | None, window: float | None, partials: int, noise: float,
    strikes: float,
) -> None:  # fmt: skip
    """Take each FILE apart into partials, strikes and noise."""
    from innerbloom.core.declare.spectrum_settings import Analysis

    ensure_kernels()
    settings = Analysis(window_ms=window, partials=partials, noise=noise, strikes=strikes)
    work = partial(_analysed, root=root, settings=settings)
    files.each(work, doing="Taking apart", accepts=has_suffix(".spectrum"))


def _analysed(
    source: Path, out: Path, *, root: float | None, settings: Analysis, told: Told
) -> Made:
    from innerbloom.core.deliver.to_file import spectrum_of_file
    from innerbloom.core.materials.spectrum.files import write_spectrum

    made = spectrum_of_file(source, root, settings, told)
    write_spectrum(out, made, source.stem)
    return Made(
        f"{len(made.tracks)} partials, {made.most_at_once} at once, {len(made.strikes)} strikes; "
        f"partials have {100 * made.tonal:.0f} % of the power",
        {"partials": len(made.tracks), "strikes": len(made.strikes), "tonal": round(made.tonal, 4)},
    )


@spectrum.command()
@many_files("FILE", "A .wav or .flac file.", suffix=".wav")
@click.option("--speed", default=1.0, show_default=True, type=click.FloatRange(-4, 4))
@click.option("--pitch", default=0.0, show_default=True, type=click.FloatRange(-36, 36),
              help="Semitones.")  # fmt: skip
@click.option("--freeze", default=None, type=click.FloatRange(0, 100),
              help="Stand still at this place, in %.")  # fmt: skip
@click.option("--formants", default="with pitch", show_default=True,
              type=click.Choice(["with pitch", "kept"]))  # fmt: skip
@click.option("--seconds", default=None, type=click.FloatRange(0.05, _TARGET_SECONDS),
              help="Length; else that of the sound at its speed.")  # fmt: skip
def render(
    files: ManyFiles, speed: float, pitch: float, freeze: float | None, formants: str,
    seconds: float | None,
) -> None:  # fmt: skip
    """Play each FILE, a sound or a .spectrum file, at another speed or pitch."""
    ensure_kernels()
    settings: dict[str, Any] = {"speed": speed, "at_end": "stay", "formants": formants}
    if freeze is not None:
        settings |= {"motion": "still", "position": freeze}
    elif speed < 0:
        settings |= {"position": 100}
    pace = abs(speed) if speed and freeze is None else 1.0
    work = partial(_played, settings=settings, pitch=pitch, pace=pace, seconds=seconds)
    files.each(work, doing="Rendering", accepts=sound_format)


def _played(
    source: Path, out: Path, *, settings: dict[str, Any], pitch: float, pace: float,
    seconds: float | None, told: Told,
) -> Made:  # fmt: skip
    sound = _sound(source)
    note = 60.0 if sound.root is None else sound.root
    length = min(seconds or _seconds(source) / pace, _TARGET_SECONDS)
    return _write(_instrument([sound], settings), source.parent, out, note + pitch, length, told)


@click.command()
@quiet_option
@json_option
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--seconds", required=True, type=click.FloatRange(0.2, _TARGET_SECONDS))
@output_file("A .wav or .flac file.")
@click.option("--note", type=NOTE, help="A note such as A2; else the first sound's root.")
@click.option("--matching", default="by itself", show_default=True,
              type=click.Choice(["by itself", "by ratio", "by frequency"]))  # fmt: skip
def morph(
    files: tuple[Path, ...], seconds: float, out: Path, note: float | None, matching: str
) -> None:
    """Turn each of FILES into the next, evenly over so many seconds."""
    sound_format(out)
    longest = _longest_morph_s()
    if seconds > longest:
        raise click.BadParameter(
            f"{seconds:g} is not in the range 0.2<=x<={longest:g}.", param_hint="'--seconds'"
        )
    if not 2 <= len(files) <= 8:
        raise BloomError("A morph leads through two to eight sounds: name each of them in order.")
    if len({one.resolve().parent for one in files}) > 1:
        raise BloomError("The sounds of a morph have to lie in one folder.")
    ensure_kernels()
    sounds = [_sound(one) for one in files]
    document = _instrument(sounds, {"at_end": "loop", "matching": matching}, seconds)
    first = 60.0 if sounds[0].root is None else sounds[0].root
    with progress("Rendering") as told:
        key = first if note is None else note
        made = _write(document, files[0].parent, out, key, seconds, told)
    result({"output": str(out), **made.facts}, f"Wrote {out}, {made.words}.")


def _longest_morph_s() -> float:
    """What the drawn shape takes that leads through the sounds."""
    from innerbloom.core.declare.parameters import Parameter
    from innerbloom.core.modulators import MODULATOR_KINDS

    time = next(one for one in MODULATOR_KINDS["shape"].parameters if one.id == "time")
    assert isinstance(time, Parameter)
    return time.high / 1e3


def _sound(file: Path) -> Sound:
    from innerbloom.core.deliver.to_file import measured_sound

    return measured_sound(file)


def _seconds(file: Path) -> float:
    from innerbloom.core.materials.spectrum.files import SUFFIX, read_spectrum
    from innerbloom.core.sound.files import sound_info

    return read_spectrum(file).seconds if file.suffix == SUFFIX else sound_info(file).seconds


def _instrument(
    sounds: list[Sound], settings: dict[str, Any], morph_s: float | None = None
) -> Instrument:
    """One spectral layer; with ``morph_s``, a drawn shape leads it through its sounds."""
    from innerbloom.core.instrument.document import parse_instrument

    layer = {
        "id": "l1", "name": "Spectrum", "kind": "spectral",
        "sounds": [one.model_dump(mode="json") for one in sounds],
        "settings": {"attack": 0.5, "release": 20, "spread": 0, **settings},
    }  # fmt: skip
    whole: dict[str, Any] = {"version": 3, "name": "Spectrum", "layers": [layer]}
    if morph_s is not None:
        whole["modulators"] = [{"id": "m1", "name": "Way", "kind": "shape",
                                "points": [(0.0, 0.0, 0.0), (1.0, 1.0, 0.0)],
                                "settings": {"time": 1e3 * morph_s}}]  # fmt: skip
        whole["routes"] = [{"id": "r1", "source": "m:m1", "target": "l1", "parameter": "morph",
                            "depth": 100.0}]  # fmt: skip
    return parse_instrument(whole)


def _write(
    document: Instrument, folder: Path, out: Path, note: float, seconds: float, told: Told
) -> Made:
    from innerbloom.core.deliver.sources import beside, file_materials
    from innerbloom.core.deliver.to_file import render_to_file
    from innerbloom.core.engine import ENGINE_RATE, compile_program
    from innerbloom.core.performance.events import single_note
    from innerbloom.core.sound.metadata import Origin

    program = compile_program(document, file_materials(beside(folder)))
    events = single_note(note, seconds, ENGINE_RATE)
    made = render_to_file(program, events, out, Origin(out.stem), form=sound_format(out), told=told)
    return Made(f"{made:.2f} s", {"seconds": round(made, 6)})
