"""Compiling the sound engine for this machine, once: pages see how far it is."""

from __future__ import annotations

from innerbloom.core.engine.warm import warm_up
from innerbloom.core.errors import Cancelled
from innerbloom.jobs.kind import JobKind, Params, Work


def compile_kernels(work: Work) -> Params:
    """No parameters. Compile what is not kept on disk, or wait for another process that does."""

    def told(done: int, count: int) -> None:
        if not work.report(done / count):
            raise Cancelled("Stopped.")

    warm_up(told)
    return {}


KERNELS = JobKind("kernels", "Compiling", compile_kernels)
