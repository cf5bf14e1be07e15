"""How every kernel is compiled, and where compiled code is kept.

What the compiler made is kept on disk under a fingerprint of all that it may depend on: a kernel
takes in constants, orders of parameters and kinds of other modules, and the compiler's own cache
only looks at the file that a kernel stands in.
"""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import sys
from collections.abc import Callable, Sequence
from functools import cache, cached_property
from operator import is_
from pathlib import Path
from tempfile import gettempdir, mkdtemp
from typing import Any, TypeVar, cast

import llvmlite.binding as llvm
import numba
from numba.core import types
from numba.core.registry import CPUDispatcher
from platformdirs import user_cache_path

from innerbloom.core.linking import linked_only

F = TypeVar("F", bound=Callable[..., object])
_AS_C: dict[str, bool | str] = {
    "nogil": True,
    "error_model": "numpy",
    "fastmath": True,
    "boundscheck": False,
}


KEPT = 3
"""Fingerprints whose compiled code is kept."""

COMPLETE = "complete"
"""Named so, a file says that all is there."""

_CORE = Path(__file__).parent
_HOLDS_KERNELS = re.compile(r"core\.compiling import .*\b(kernel|borrowing|inlined|switch)\b")
_IMPORT = re.compile(r"^from innerbloom\.core((?:\.\w+)*) import (\([^)]*\)|.*)$", re.MULTILINE)


def compiled_from() -> list[Path]:
    """Files that hold compiled code, and all of ``core`` that those import, directly or not."""
    sources = {path: path.read_text("utf-8") for path in _CORE.rglob("*.py")}
    waiting = [path for path, text in sources.items() if _HOLDS_KERNELS.search(text)]
    found: set[Path] = set()
    while waiting:
        path = waiting.pop()
        if path in sources and path not in found:
            found.add(path)
            waiting += _imported(sources[path])
    return sorted(found)


def _imported(source: str) -> list[Path]:
    """Files of modules and packages that a source imports from, there or not."""
    files = []
    for module, names in _IMPORT.findall(source):
        folder = _CORE.joinpath(*module.split(".")[1:])
        files += [folder.with_suffix(".py"), folder / "__init__.py"]
        files += [folder / f"{name}.py" for name in re.findall(r"\w+", names)]
    return files


def fingerprint() -> str:
    """A hash of all that compiled code may depend on: sources, Python, compiler, processor.

    The compiler's cache knows a file by its place and its time as well, so these count, too.
    """
    found = hashlib.sha256()
    told = (sys.version_info[:2], numba.__version__, llvm.get_host_cpu_name(), str(_CORE))
    found.update(repr(told).encode())
    for path in compiled_from():
        found.update(path.relative_to(_CORE).as_posix().encode())
        found.update(path.read_bytes())
        found.update(str(path.stat().st_mtime_ns).encode())
    return found.hexdigest()[:16]


@cache
def cache_folder() -> Path:
    """Where compiled code is kept: in NUMBA_CACHE_DIR if that is set, else in the user's cache.

    Where that cannot be written, among temporary files.
    """
    given = os.environ.get("NUMBA_CACHE_DIR")
    base = Path(given) if given else user_cache_path("inner-bloom") / "kernels"
    folder = base / fingerprint()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        # whoever has no home to write to, as services have none, has somewhere for what is passing
        folder = _passing_folder() / folder.name
    return folder


def _passing_folder() -> Path:
    """A folder among temporary files that is ours alone: what lies in it will be run."""
    base = Path(gettempdir()) / f"inner-bloom-kernels-{os.getuid()}"
    base.mkdir(mode=0o700, exist_ok=True)
    found = base.lstat()
    if base.is_symlink() or found.st_uid != os.getuid() or found.st_mode & 0o077:
        return Path(mkdtemp(prefix="inner-bloom-kernels-"))
    return base


def is_warm() -> bool:
    """Whether everything is kept on disk; see :func:`.warm_up`."""
    return (cache_folder() / COMPLETE).exists()


def forget_old() -> None:
    """Throw away what was compiled from other sources, but for the newest."""
    here = cache_folder()
    folders = [one for one in here.parent.glob("*") if one.is_dir() and one != here]
    folders.sort(key=lambda one: one.stat().st_mtime, reverse=True)
    for folder in folders[KEPT - 1 :]:
        shutil.rmtree(folder, ignore_errors=True)


numba.config.CACHE_DIR = str(cache_folder())


class Kernel(CPUDispatcher):  # type: ignore[misc]
    """A compiled loop: called from Python, or by others, which link it; see :mod:`.linking`."""

    def __init__(self, function: Callable[..., object], **options: Any) -> None:
        options = {"nopython": True, **_AS_C, **options}
        super().__init__(py_func=function, targetoptions=options)
        self._options = options

    @cached_property
    def _linked(self) -> CPUDispatcher:
        return linked_only(self.py_func, self._options)

    @property
    def _numba_type_(self) -> types.Dispatcher:
        """What a kernel sees that names this one."""
        return types.Dispatcher(self._linked)


def _compiled(function: F, **options: Any) -> F:
    made = Kernel(function, **options)
    # what is linked is kept within whoever calls it
    made.enable_caching()
    return cast(F, made)


def kernel(function: F) -> F:
    """Compile a loop: no GIL, cached on disk, C rules for division, fast float maths.

    Fast maths lets the compiler drop tests for NaN and infinity, so finiteness is
    checked where sound enters, never inside a kernel.
    """
    return _compiled(function)


def borrowing(function: F) -> F:
    """The same for loops that allocate nothing and only borrow the arrays they are given.

    Otherwise every view of an array counts its references, with a locked instruction each
    time, which cost the grains a fifth of their time. Scratch has to be passed in, and
    whoever calls keeps the arrays.
    """
    return _compiled(function, _nrt=False)


def inlined(function: F) -> F:
    """The same for what is part of its caller: bundles of many arrays cost something to hand on."""
    return _compiled(function, _nrt=False, forceinline=True)


class Bound:
    """A kernel that is called again and again with the same bundles of arrays.

    A call looks up the types of all that is given, array by array, before it begins: 7 us for the
    bundles of a layer, where the call itself takes 0.5. What has been looked up need not be again
    while the bundles are the very same ones. Only what leads them, made anew each time, is taken
    to be of the same types.

    Parameters
    ----------
    kernel : Kernel
    """

    def __init__(self, kernel: Callable[..., Any]) -> None:
        self._kernel = self._compiled = kernel
        self._known: tuple[Any, ...] = ()

    def __call__(self, leading: Any, *bundles: Any) -> Any:
        if len(bundles) == len(self._known) and all(map(is_, bundles, self._known)):
            return self._compiled(leading, *bundles)
        found = self._kernel(leading, *bundles)
        overloads = cast(Kernel, self._kernel).overloads
        if len(overloads) == 1:
            # compiled for one set of types, which therefore are these; asked as an ordered one, the
            # dictionary would hash them
            self._compiled = next(iter(dict.values(overloads))).entry_point
            self._known = bundles
        return found


def switch(kernels: Sequence[Callable[..., object]], arguments: str) -> Callable[..., None]:
    """One kernel that calls another of several, all of one shape, by its number.

    A chain of comparisons that the compiler sees through, made for whatever is registered: calls
    through pointers could not be inlined, nor kept on disk.

    Parameters
    ----------
    kernels : sequence of kernels
    arguments : str
        Names of their arguments, with commas.

    Examples
    --------
    >>> step = switch((saw, square), "state, out")
    >>> step(1, state, out)                         # square(state, out)
    """
    names = {f"kernel_{number}": one for number, one in enumerate(kernels)}
    lines = [f"def chosen(which, {arguments}):"]
    for number, name in enumerate(names):
        lines += [f"    {'if' if number == 0 else 'elif'} which == {number}:"]
        lines += [f"        {name}({arguments})"]
    made: dict[str, Any] = dict(names)
    exec("\n".join(lines), made)
    # made anew in each process, so that it cannot be found again on disk
    return cast(Callable[..., None], Kernel(made["chosen"], _nrt=False))
