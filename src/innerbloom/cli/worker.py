"""``bloom worker``: this machine does tasks for a scheduler."""

from __future__ import annotations

import asyncio
import os
import socket
from pathlib import Path

import click

from innerbloom.processes import THREAD_COUNTS

_MEMORY = {
    "MALLOC_ARENA_MAX": "1",
    "MALLOC_TRIM_THRESHOLD_": str(1 << 28),
    "MALLOC_MMAP_THRESHOLD_": str(1 << 25),
}
"""Of glibc, see mallopt(3): tasks run beside a worker's main thread, where memory is given back so
eagerly by default that every array is paid for with page faults."""


@click.command()
@click.argument("scheduler", metavar="ADDRESS")
@click.option("--processes", type=click.IntRange(1, 256), help="One a core if left out.")
@click.option("--folder", type=click.Path(path_type=Path, file_okay=False),
              help="Where recordings are kept; the user's cache if left out.")  # fmt: skip
@click.option("--nice", type=click.IntRange(0, 19), default=15, show_default=True,
              help="How far tasks step aside for all else on this machine.")  # fmt: skip
def worker(scheduler: str, processes: int | None, folder: Path | None, nice: int) -> None:
    """Do tasks for the Dask scheduler at ADDRESS (tcp://host:8786) until it ends.

    A worker runs whatever its scheduler sends: use addresses that only you reach, or TLS (tls://host:8786, with
    certificates as Dask's configuration has them).
    """
    from innerbloom.batch.cluster import connected
    from innerbloom.batch.worker import NICE
    from innerbloom.core.engine.warm import warm_up
    from innerbloom.processes import cores

    os.environ[NICE] = str(nice)
    os.environ.update(dict.fromkeys(THREAD_COUNTS, "1"))
    # it would stop the task a hundred times a second to look at it
    os.environ.setdefault("DASK_DISTRIBUTED__WORKER__PROFILE__ENABLED", "False")
    with connected(scheduler):
        pass
    if folder is not None:
        os.environ["BLOOM_WORKER_FOLDER"] = str(folder.resolve())
    warm_up(
        lambda done, of: click.echo(f"Compiling the sound engine, once: {done} of {of}", err=True)
    )
    count = processes or cores()
    asyncio.run(_work(scheduler, count))


async def _work(scheduler: str, count: int) -> None:
    import dask
    from distributed import Nanny

    environment = {**dict.fromkeys(THREAD_COUNTS, "1"), **_MEMORY}
    dask.config.set({"distributed.nanny.pre-spawn-environ": environment})
    name = f"{socket.gethostname()}-{os.getpid()}"
    nannies = [
        Nanny(scheduler, nthreads=1, name=f"{name}-{number}", preload=["innerbloom.batch.worker"],
              dashboard=False)
        for number in range(1, count + 1)
    ]  # fmt: skip
    await asyncio.gather(*nannies)
    click.echo(f"{count} {'process works' if count == 1 else 'processes work'} for {scheduler}.")
    await asyncio.gather(*(one.finished() for one in nannies))
