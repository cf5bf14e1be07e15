"""Commands that take many files: an output for each by a pattern, on several processes, past a bad one."""

from __future__ import annotations

import multiprocessing
import os
import shutil
import signal
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, Protocol, TypeVar

import click

from innerbloom.cli.output import read_by, refuse_output
from innerbloom.cli.progress import Told, progress, quiet_option, say
from innerbloom.cli.results import json_option, result, wants_json
from innerbloom.core.errors import BloomError
from innerbloom.core.names import by_template
from innerbloom.processes import begin_background, single_threaded_children

F = TypeVar("F", bound=Callable[..., Any])
DASH = Path("-")
STANDARD_INPUT = "standard input"


@dataclass(frozen=True)
class Made:
    """What came of one file: the end of its line, and plain data for ``--json``."""

    words: str
    facts: dict[str, Any] = field(default_factory=dict)


class Work(Protocol):
    """Makes one output of one input; sent to other processes, so a function of a module, or a partial of one."""

    def __call__(self, source: Path, out: Path, /, *, told: Told) -> Made: ...


@dataclass(frozen=True)
class ManyFiles:
    """What the options shared by such commands say; see :func:`many_files`."""

    inputs: tuple[Path, ...]
    out: str
    suffix: str
    force: bool
    jobs: int

    def targets(self, takes: int = 1) -> list[Path]:
        """Where each take of each input goes; raises a UsageError where two would go to one place."""
        if self.out == "-":
            return self._to_standard_output(takes)
        pattern = self.out
        if pattern.endswith(("/", os.sep)) or Path(pattern).is_dir():
            pattern = str(Path(pattern) / f"{{name}}{self.suffix}")
        if takes > 1 and "{take}" not in pattern:
            raise click.UsageError("--out has to hold {take} for several takes.")
        if "{" not in pattern and len(self.inputs) > 1:
            raise click.UsageError(
                "--out has to hold {name}, {number} or {folder} for several files, or be a folder."
            )
        targets = [
            Path(by_template(pattern, _fields(one, number, take)))
            for number, one in enumerate(self.inputs, 1)
            for take in range(1, takes + 1)
        ]
        taken: set[Path] = set()
        for one in targets:
            if one in taken:
                raise click.UsageError(
                    f"Two files would be written to '{one}': put {{number}} or {{folder}} into --out."
                )
            taken.add(one)
        return targets

    def _to_standard_output(self, takes: int) -> list[Path]:
        if len(self.inputs) * takes > 1:
            raise click.UsageError("Only one file can go to standard output.")
        if wants_json():
            raise click.UsageError("--json and --out - both want standard output: choose one.")
        return [DASH]

    def each(
        self, *works: Work, doing: str, accepts: Callable[[Path], object] = lambda out: None
    ) -> None:
        """Do the work for each file, print a line each and a summary; ends with 1 if any failed.

        Parameters
        ----------
        works : callable
            Several make several takes of each file, ``{take}`` in ``--out``.
        doing : str
            What stands beside the bar.
        accepts : callable
            Is asked about each output before anything is done; may raise a UsageError.
        """
        targets = self.targets(len(works))
        for one in targets:
            accepts(Path(f"out{self.suffix}") if one == DASH else one)
        failed = 0
        with progress(doing) as told:
            for number, (source, out, made) in enumerate(self._done(works, targets, told), 1):
                failed += isinstance(made, Exception)
                self._print(source, out, made)
                if len(targets) > 1:
                    told(number / len(targets))
        if len(targets) > 1 and not wants_json():
            say(f"Wrote {len(targets) - failed} of {len(targets)} files.")
        if failed:
            sys.exit(1)

    def _done(
        self, works: tuple[Work, ...], targets: list[Path], told: Told
    ) -> Iterator[tuple[Path, Path, Made | Exception]]:
        asked = [(source, work) for source in self.inputs for work in works]
        every = [(work, source, out) for (source, work), out in zip(asked, targets, strict=True)]
        # looked at once: there may be thousands
        read = read_by(one for one in self.inputs if one != DASH)
        count = min(self.jobs, len(every))
        if count == 1:
            for work, source, out in every:
                alone = told if len(every) == 1 else (lambda share: True)
                yield source, out, self._refused(out, read) or self._one(work, source, out, alone)
            return
        with single_threaded_children(), _processes(count) as pool:
            refused = [self._refused(out, read) for _, _, out in every]
            waiting = [
                None if no else pool.submit(self._one, work, source, out)
                for (work, source, out), no in zip(every, refused, strict=True)
            ]
            for (_, source, out), no, future in zip(every, refused, waiting, strict=True):
                try:
                    made = no if future is None else future.result()
                    assert made is not None
                    yield source, out, made
                except BrokenExecutor:
                    yield source, out, BloomError("A process ended unexpectedly: try fewer --jobs.")

    def _refused(self, out: Path, read: dict[tuple[int, int], str]) -> BloomError | None:
        try:
            if out != DASH:
                refuse_output(out, read, force=self.force)
        except BloomError as error:
            return error
        return None

    def _one(
        self, work: Work, source: Path, out: Path, told: Told = lambda share: True
    ) -> Made | Exception:
        try:
            if out != DASH and str(out) != self.out:
                out.parent.mkdir(parents=True, exist_ok=True)
            with opened_input(source) as read, _output(out, source, self.suffix) as written:
                return work(read, written, told=told)
        except (BloomError, OSError) as error:
            return error

    def _print(self, source: Path, out: Path, made: Made | Exception) -> None:
        shown = STANDARD_INPUT if source == DASH else str(source)
        if isinstance(made, Exception):
            sentence = _sentence(made)
            if wants_json():
                result({"input": shown, "error": sentence})
            else:
                click.echo(f"{shown}: {sentence}" if len(self.inputs) > 1 else sentence, err=True)
        elif wants_json():
            result({"input": shown, "output": str(out), **made.facts})
        else:
            place = "standard output" if out == DASH else str(out)
            say(f"Wrote {place}, {made.words}.", err=out == DASH)


def _sentence(error: Exception) -> str:
    if isinstance(error, OSError):
        return f"{error.filename or 'A file'}: {error.strerror or error}."
    return str(error)


def _fields(source: Path, number: int, take: int) -> dict[str, str]:
    name = STANDARD_INPUT if source == DASH else source.stem
    folder = source.absolute().parent.name
    return {"name": name, "number": f"{number:03d}", "folder": folder, "take": f"{take:02d}"}


@contextmanager
def opened_input(source: Path) -> Iterator[Path]:
    """The file itself; what comes in by standard input as a file for as long as it is needed."""
    if source != DASH:
        yield source
        return
    with TemporaryDirectory() as folder:
        path = Path(folder) / STANDARD_INPUT
        with path.open("wb") as kept:
            shutil.copyfileobj(sys.stdin.buffer, kept)
        yield path


@contextmanager
def _output(out: Path, source: Path, suffix: str) -> Iterator[Path]:
    """The place itself; for standard output a file that is sent there once it is whole."""
    if out != DASH:
        yield out
        return
    with TemporaryDirectory() as folder:
        name = STANDARD_INPUT if source == DASH else source.stem
        path = Path(folder) / f"{name}{suffix}"
        yield path
        with path.open("rb") as made:
            shutil.copyfileobj(made, sys.stdout.buffer)
        sys.stdout.buffer.flush()


@contextmanager
def _processes(count: int) -> Iterator[ProcessPoolExecutor]:
    """Processes that end with this one, at once where it is interrupted."""
    pool = ProcessPoolExecutor(
        count, mp_context=multiprocessing.get_context("spawn"),
        initializer=_begin,
    )  # fmt: skip
    try:
        yield pool
    except BaseException:
        for process in list((pool._processes or {}).values()):
            process.terminate()
        raise
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


def _begin() -> None:
    # whoever presses Ctrl C means the command: it ends its processes itself
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    begin_background(False)


def many_files(metavar: str, out: str, *, suffix: str) -> Callable[[F], Any]:
    """Files as arguments, ``--out``, ``--force``, ``--jobs``, ``--json`` and ``--quiet``, as one ``files``.

    Parameters
    ----------
    metavar : str
        What the files are called.
    out : str
        What ``--out`` is, for help.
    suffix : str
        Of what is written, where ``--out`` is a folder or standard output.
    """

    def decorate(function: F) -> Any:
        def taken(inputs: tuple[Path, ...], out: str, force: bool, jobs: int, **rest: Any) -> Any:
            files = ManyFiles(inputs, out, suffix, force, jobs)
            return function(files=files, **rest)

        taken.__doc__ = function.__doc__
        taken.__name__ = function.__name__
        taken.__click_params__ = getattr(function, "__click_params__", [])  # type: ignore[attr-defined]
        command: Any = taken
        for option in reversed(_options(metavar, out)):
            command = option(command)
        return command

    return decorate


def _options(metavar: str, out: str) -> list[Callable[[F], F]]:
    return [
        click.argument("inputs", nargs=-1, required=True, metavar=f"{metavar}...",
                       type=click.Path(path_type=Path, allow_dash=True)),
        click.option("--out", required=True,
                     help=f"{out} For several, a folder, or a pattern with {{name}}, {{number}}, {{folder}}; "
                          "- is standard output."),
        click.option("--force", is_flag=True, help="Write over files that are there."),
        click.option("--jobs", default=1, show_default=True, type=click.IntRange(1, 256),
                     help="Files that are worked on at once."),
        json_option,
        quiet_option,
    ]  # fmt: skip
