"""Thousands of damaged recordings and documents: each is read, or refused in one sentence; nothing else."""

from __future__ import annotations

import errno
import json
import multiprocessing
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest

from innerbloom.core.analysis.examine import examine
from innerbloom.core.deliver.export import about_of
from innerbloom.core.ensemble.document import parse_ensemble
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.chain_document import parse_chain
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.performance.scala import read_mapping, read_scale
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.timeline.document import parse_timeline
from innerbloom.core.timeline.scene_lists import read_scenes
from tests.core.test_damaged_files import READERS
from tests.trust import corpus
from tests.trust.conftest import many

AT_ONCE = 25
"""Of a task: where a process ends over one of them, it is sought among these."""

PARSERS = {
    "instrument": parse_instrument,
    "ensemble": parse_ensemble,
    "recipe": parse_recipe,
    "table": parse_table,
    "chain": parse_chain,
    "timeline": parse_timeline,
}


def _text_reader(kind: str):
    if kind == "scl":
        return lambda data: read_scale(data.decode("latin-1"))
    if kind == "kbm":
        return lambda data: read_mapping(data.decode("latin-1"))
    return lambda data: read_scenes(data, f"list.{kind}", "24", False, 0)


def said_of(read, *given) -> str:
    """Read, refused, or what else came of it."""
    try:
        read(*given)
        return "read"
    except BloomError as error:
        sentence = str(error)
        return "refused" if sentence and "\n" not in sentence else f"no sentence: {sentence!r}"
    except OSError as error:
        # what a file says it needs to be decoded may be more than there is, which is said as such
        return "refused" if error.errno == errno.ENOSPC else f"traceback: {error}"
    except Exception as error:
        return f"traceback: {type(error).__name__}: {error}"


def measure(path: Path) -> None:
    examine(path)
    about_of(path)


def recordings_of(kind: str, seed: int, count: int) -> list[str]:
    """What comes of damaged recordings of one format."""
    random = np.random.default_rng(seed)
    found = []
    with TemporaryDirectory() as folder:
        whole = corpus.RECORDINGS[kind](Path(folder))
        data = whole.read_bytes()
        for number in range(count):
            path = Path(folder) / f"{number}{whole.suffix}"
            path.write_bytes(corpus.damaged(data, random))
            found.append(said_of(measure, path))
            path.unlink()
    return found


def documents_of(kind: str, seed: int, count: int) -> list[str]:
    """What comes of documents of one kind, altered as data and damaged as text."""
    random = np.random.default_rng(seed)
    found = []
    for number in range(count):
        if kind in PARSERS:
            plain = corpus.altered(corpus.DOCUMENTS[kind], random)
            given = plain if number % 2 else corpus.damaged(json.dumps(plain).encode(), random)
            found.append(said_of(PARSERS[kind], given))
        elif kind in READERS:
            found.append(said_of(READERS[kind], corpus.damaged(_whole(kind), random)))
        else:
            found.append(said_of(_text_reader(kind), corpus.damaged(corpus.texts()[kind], random)))
    return found


_KEPT: dict[str, bytes] = {}


def _whole(kind: str) -> bytes:
    if kind not in _KEPT:
        _KEPT[kind] = corpus.packed(kind)
    return _KEPT[kind]


def tried(work, kinds: list[str], count: int, tally) -> None:
    """Send all of it to processes, and count what comes of each."""
    tasks = [
        (kind, 1_000 * number + at, min(AT_ONCE, count - at))
        for number, kind in enumerate(kinds)
        for at in range(0, count, AT_ONCE)
    ]
    context = multiprocessing.get_context("spawn")
    odd: list[str] = []
    with ProcessPoolExecutor(2, mp_context=context) as pool:
        waiting = [pool.submit(work, *task) for task in tasks]
        for task, future in zip(tasks, waiting, strict=True):
            try:
                found = future.result()
            except BrokenExecutor:
                found = [f"crash in {task}"]
            tally.counts.update(
                one.split(":")[0].split(" ")[0] if one not in ("read", "refused") else one
                for one in found
            )
            odd += [f"{task[0]}: {one}" for one in found if one not in ("read", "refused")]
    tally.counts |= {
        "crashes": tally.counts.pop("crash", 0),
        "tracebacks": tally.counts.pop("traceback", 0),
    }
    assert odd == []


def test_malformed_recordings(tally):
    kinds = list(corpus.RECORDINGS)
    tried(recordings_of, kinds, many(12, -(-5_000 // len(kinds))), tally)


def test_malformed_documents(tally):
    kinds = [*PARSERS, *(one for one in READERS if one != "wav"), *corpus.texts()]
    tried(documents_of, kinds, many(25, -(-5_000 // len(kinds))), tally)


@pytest.mark.parametrize("kind", corpus.RECORDINGS)
def test_they_are_valid_before_they_are_damaged(kind, tmp_path):
    assert said_of(measure, corpus.RECORDINGS[kind](tmp_path)) == "read"


@pytest.mark.parametrize("kind", [*PARSERS, *corpus.texts()])
def test_so_are_the_documents(kind):
    if kind in PARSERS:
        assert said_of(PARSERS[kind], corpus.DOCUMENTS[kind]) == "read"
    else:
        assert said_of(_text_reader(kind), corpus.texts()[kind]) == "read"
