"""Compiled loops that are only ever linked into others.

By itself the compiler makes everything of each function, however short: machine code, loaded, with
wrappers for Python and C, and a file of the cache. Most loops are only ever called by others, into
which they are linked as LLVM's code; what is optimized is the same.

They are optimized by themselves all the same: inlined as they were lowered into large functions,
loops came out up to three times slower.

This rests on the inside of Numba's code generation (:mod:`numba.core.codegen`), which stands still
from version to version; what fails here, fails at once and for every kernel.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from numba.core.codegen import CPUCodegen, JITCodeLibrary
from numba.core.compiler import Compiler
from numba.core.registry import CPUDispatcher


class _Unbound:
    """A code generation that binds no environment: what is not loaded has none."""

    def __init__(self, codegen: CPUCodegen) -> None:
        self._codegen = codegen

    def __getattr__(self, name: str) -> Any:
        return getattr(self._codegen, name)

    def set_env(self, *args: object) -> None:
        """Nothing: the environment of the caller is the one that counts."""


class _LinkedLibrary(JITCodeLibrary):  # type: ignore[misc]
    """Code that is linked, and not loaded by itself."""

    @property
    def codegen(self) -> _Unbound:
        return _Unbound(self._codegen)

    def _finalize_final_module(self) -> None:
        self._finalize_dynamic_globals()
        self._verify_declare_only_symbols()
        self._finalized = True

    def get_pointer_to_function(self, name: str) -> int:
        """None: it is not in memory."""
        return 0


class _LinkedCompiler(Compiler):  # type: ignore[misc]
    def compile_extra(self, func: Callable[..., object]) -> Any:
        codegen = self.state.targetctx.codegen()
        self.state.library = _LinkedLibrary(codegen, func.__qualname__)
        return super().compile_extra(func)


def linked_only(function: Callable[..., object], options: dict[str, Any]) -> CPUDispatcher:
    """A function for others to be compiled with.

    To call it from Python would be a jump to nowhere; whoever makes it does not give it away.
    """
    alone = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True}
    return CPUDispatcher(
        py_func=function, targetoptions={**options, **alone}, pipeline_class=_LinkedCompiler
    )
