"""Compiled code: never older than what it was made from."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pytest

import innerbloom
from innerbloom.core import compiling

PROGRAM = """
import numpy as np
from innerbloom.core.dsp.bitcrush import bitcrush
sound, held = np.zeros(64, np.float32), np.zeros(1, np.float32)
print(round(bitcrush(sound, 1, held, 0.0, 300.0, 24.0), 9))
"""


def test_a_constant_changed_in_another_file_never_runs_what_was_compiled_before(tmp_path):
    """The compiler's own cache only looks at the file of the kernel itself."""
    source = Path(innerbloom.__file__).parent
    package = tmp_path / "innerbloom"
    package.mkdir()
    shutil.copy(source / "__init__.py", package)
    shutil.copytree(source / "core", package / "core", ignore=shutil.ignore_patterns("*.nb?"))
    own = {"PYTHONPATH": str(tmp_path), "NUMBA_CACHE_DIR": str(tmp_path / "cache")}

    def periods() -> float:
        done = subprocess.run(
            [sys.executable, "-c", PROGRAM],
            env={**os.environ, **own},
            capture_output=True,
            text=True,
            check=True,
        )
        return float(done.stdout)

    rates = package / "core" / "dsp" / "rates.py"
    # what of a period of 300 Hz lies within a tick
    assert periods() == 0.4
    rates.write_text(rates.read_text().replace("RATE = 48_000", "RATE = 96_000"))
    assert periods() == 0.2


def test_the_fingerprint_covers_what_kernels_import_and_nothing_more():
    covered = {path.relative_to(compiling._CORE).as_posix() for path in compiling.compiled_from()}
    assert {"dsp/rates.py", "engine/kernels/finish.py", "modulators/__init__.py"} <= covered
    assert {"layers/cloud/parameters.py", "instrument/shared_parameters.py"} <= covered
    assert not {"engine/section.py", "deliver/render.py", "instrument/document.py"} & covered


def test_what_was_compiled_from_older_sources_is_forgotten_in_time(tmp_path, monkeypatch):
    here = tmp_path / "here"
    monkeypatch.setattr(compiling, "cache_folder", lambda: here)
    for age, name in enumerate(["here", "new", "older", "old", "oldest"]):
        (tmp_path / name).mkdir()
        os.utime(tmp_path / name, (1_000 - age, 1_000 - age))
    compiling.forget_old()
    assert {path.name for path in tmp_path.iterdir()} == {"here", "new", "older"}


def test_without_a_home_compiled_code_goes_where_nobody_else_can_put_any(tmp_path, monkeypatch):
    compiling.cache_folder.cache_clear()
    (tmp_path / "file").touch()
    # below a file no folder can be made
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "file" / "kernels"))
    monkeypatch.setattr(compiling, "gettempdir", lambda: str(tmp_path))
    try:
        found = compiling.cache_folder()
        assert found.parent == tmp_path / f"inner-bloom-kernels-{os.getuid()}"
        assert found.parent.stat().st_mode & 0o077 == 0
        found.parent.chmod(0o777)
        compiling.cache_folder.cache_clear()
        other = compiling.cache_folder().parent
        assert other != found.parent
        assert other.stat().st_mode & 0o077 == 0
        other.rmdir()
    finally:
        compiling.cache_folder.cache_clear()


LINKED = """
from innerbloom.core.compiling import borrowing

@borrowing
def half(x):
    return 0.5 * x

@borrowing
def quarter(x):
    return half(half(x))

print(quarter(8.0), half(3.0), quarter.signatures, half.signatures)
"""


def test_what_others_call_may_be_called_from_python_as_well(tmp_path):
    program = tmp_path / "linked.py"
    program.write_text(LINKED)
    for _ in range(2):
        # the second time from the cache
        done = subprocess.run(
            [sys.executable, program],
            env={**os.environ, "NUMBA_CACHE_DIR": str(tmp_path / "cache")},
            capture_output=True,
            text=True,
            check=True,
        )
        assert done.stdout == "2.0 1.5 [(float64,)] [(float64,)]\n"


@pytest.mark.parametrize("module", ["live.session", "web.started"])
def test_engine_and_server_start_without_the_slowest_library_they_may_need(module):
    """SciPy's signal package takes longer to import than all of ours."""
    code = f"import sys, innerbloom.{module}; print('scipy.signal' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout == "False\n"


@compiling.borrowing
def weigh(weight, bundle):
    """What a kernel's bundle adds up to."""
    total = 0.0
    for i in range(len(bundle.values)):
        total += weight * bundle.values[i]
    return total


class Bundle(NamedTuple):
    values: np.ndarray


def test_a_bound_kernel_gives_what_the_kernel_gives_whatever_it_is_given_next():
    bound = compiling.Bound(weigh)
    bundles = [Bundle(np.arange(n, dtype=kind)) for n in (3, 5) for kind in (np.float64, np.int16)]
    # each again and again, so that it is known, then another, of the same types or of others
    for one in (*bundles, *reversed(bundles)):
        for weight in (1.0, 2.0, 0.5):
            assert bound(weight, one) == weight * one.values.sum()


def test_a_bound_kernel_sees_what_changes_within_its_bundle():
    bound, bundle = compiling.Bound(weigh), Bundle(np.ones(4))
    assert [bound(1.0, bundle), bound(1.0, bundle)] == [4.0, 4.0]
    bundle.values[:] = 3.0
    assert bound(1.0, bundle) == 12.0


PLAYED = """
import gc
from innerbloom.core.compiling import Kernel
from innerbloom.core.engine import warm
from tests.engines import Engine, Event, cloud, material_of, move, program_of, sine

def known():
    kernels = [one for one in gc.get_objects() if type(one) is Kernel]
    return sorted((one.py_func.__qualname__, len(one.overloads)) for one in kernels)

warm.load()
program, before = program_of(cloud(), material_of(sine(440.0, 1.0))), known()
engine = Engine(program, cores=2)
engine.render(9_600, [Event("on", 1, 60.0, 0.8)])
move(engine, "l1", "level", -12.0)
engine.render(9_600, [Event("off", 1, 60.0, 0.0, engine.now)])
print(len(before) > 100, sorted(set(known()) - set(before)))
"""


def test_what_was_loaded_ahead_is_all_that_two_cores_play_with():
    """The first note waits neither for the compiler nor for the disk."""
    root = Path(__file__).parents[2]
    environment = {**os.environ, "PYTHONPATH": str(root)}
    done = subprocess.run(
        [sys.executable, "-c", PLAYED], capture_output=True, text=True, env=environment, check=True
    )
    assert done.stdout == "True []\n"


WARMING = """
import sys, time
from innerbloom.core import compiling
from innerbloom.core.engine import warm

warm._compile_all = lambda told: (print("compiles", flush=True), compiling_as_told(told))

def compiling_as_told(told):
    told(1, 2)
    if sys.argv[1] == "dies":
        raise SystemExit
    # until whoever waits has looked
    while not (compiling.cache_folder() / "seen").exists():
        time.sleep(0.01)
    (compiling.cache_folder() / compiling.COMPLETE).touch()

def told(done, count):
    print(done, count, flush=True)

warm.warm_up(told)
print("is there", flush=True)
"""


def warming(folder: Path, way: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-c", WARMING, way],
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "NUMBA_CACHE_DIR": str(folder)},
    )


def test_of_several_that_want_everything_compiled_one_compiles_and_the_others_wait(tmp_path):
    first = warming(tmp_path, "whole")
    assert first.stdout.readline() == "compiles\n"
    second = warming(tmp_path, "whole")
    # it tells on, and does not compile itself
    assert second.stdout.readline().split()[0].isdigit()
    next(one for one in tmp_path.iterdir() if one.is_dir()).joinpath("seen").touch()
    assert first.communicate(timeout=60)[0].endswith("is there\n")
    told = second.communicate(timeout=60)[0]
    assert told.endswith("is there\n")
    assert "compiles" not in told


def test_where_the_one_that_compiles_ends_another_takes_over(tmp_path):
    dying = warming(tmp_path, "dies")
    assert dying.communicate(timeout=60)[0] == "compiles\n1 2\n"
    next(one for one in tmp_path.iterdir() if one.is_dir()).joinpath("seen").touch()
    second = warming(tmp_path, "whole")
    assert second.communicate(timeout=60)[0] == "compiles\n1 2\nis there\n"
