"""A Dask cluster as the workers of a batch.

Workers run what they are sent, as Dask's do: a scheduler belongs on loopback, on a network of one's own, or behind TLS
(addresses ``tls://…``, certificates in Dask's own configuration).
"""

from __future__ import annotations

import time
import warnings
from collections.abc import Iterator
from concurrent.futures import CancelledError, Future
from contextlib import contextmanager

from distributed import Client
from distributed.scheduler import KilledWorker

from innerbloom.batch import task as on_worker
from innerbloom.batch.pools import AHEAD
from innerbloom.batch.task import (
    BatchError,
    Blob,
    Outcome,
    Task,
    code_version,
    other_version,
    perform,
)

CONNECT_S = 5.0
_AWAY_S = 10.0
_LOST_TRIES = 3


class ClusterPool:
    """Workers of a cluster, however many there are at the moment."""

    lost = (KilledWorker,)

    def __init__(self, client: Client, address: str) -> None:
        self._client, self._address = client, address
        # Dask does a task of a lost worker again by itself
        self._executor = client.get_executor(pure=False, retries=_LOST_TRIES)
        self._away_since: float | None = None

    def width(self) -> int:
        return sum(info["nthreads"] for info in self._workers().values())

    def share(self, future: Future[Outcome]) -> float:
        return 0.0

    def room(self) -> int:
        return AHEAD * max(1, self.width())

    def _workers(self) -> dict[str, dict[str, int]]:
        found: dict[str, dict[str, int]] = self._client.scheduler_info(n_workers=-1)["workers"]
        return found

    def submit(self, task: Task, blobs: tuple[Blob, ...]) -> Future[Outcome]:
        with warnings.catch_warnings():
            # recordings are large, and are sent once to each worker
            warnings.filterwarnings("ignore", message="Sending large graph")
            future: Future[Outcome] = self._executor.submit(
                perform, task, code_version(), "", blobs
            )
        return future

    def renew(self) -> bool:
        return False

    def check(self) -> None:
        """Give a scheduler or workers that are away some seconds, then say so."""
        there = self._client.status == "running" and self.width() > 0
        now = time.monotonic()
        if there:
            self._away_since = None
        elif self._away_since is None:
            self._away_since = now
        elif now - self._away_since > _AWAY_S:
            what = "has no workers" if self._client.status == "running" else "went away"
            raise BatchError(f"The scheduler at {self._address} {what}: start it again.")


@contextmanager
def cluster(address: str) -> Iterator[ClusterPool]:
    """The workers of a scheduler; raises a BatchError where they are of no use."""
    with connected(address) as client:
        _check_workers(client, address)
        yield ClusterPool(client, address)


@contextmanager
def connected(address: str) -> Iterator[Client]:
    """A scheduler's client; raises a BatchError where it does not answer within seconds."""
    try:
        client = Client(address, timeout=CONNECT_S, set_as_default=False)
    except (OSError, ValueError, CancelledError) as error:
        raise BatchError(
            f"No scheduler answers at {address}: is it started, and is that its address?"
        ) from error
    except TypeError as error:
        raise BatchError(
            f"{address} needs certificates: name them in Dask's configuration (distributed.comm.tls)."
        ) from error
    try:
        yield client
    finally:
        client.close(timeout=CONNECT_S)


def _check_workers(client: Client, address: str) -> None:
    """Refuse workers whose results would differ."""
    ours = code_version()
    try:
        client.wait_for_workers(1, timeout=CONNECT_S)
        found = client.run(on_worker.code_version)
    except TimeoutError as error:
        raise BatchError(f"The scheduler at {address} has no workers: start some.") from error
    except (ImportError, AttributeError) as error:
        raise BatchError(
            f"A worker of {address} does not have Inner Bloom: start it by 'bloom worker'."
        ) from error
    for worker, its in found.items():
        if its != ours:
            raise BatchError(other_version(worker, its, ours))
