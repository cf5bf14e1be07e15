"""Whether a second thread renders what is played."""

from __future__ import annotations

import os

BUSY, CALM = 0.6, 0.25
"""Load above which a second core is tried, and below which it is given back."""

TRIAL_BLOCKS = 100
"""Blocks after which a second core must have helped: half a second, in which the load settles."""

PAUSE_BLOCKS = 4_000
"""Blocks until it is tried again where it did not: 21 s."""

_HELPS = 0.95


class SecondCore:
    """Takes a second core while one is not enough and two are better; the samples are the same.

    Two threads take turns at what Python does, and each turn costs: many small pieces of work are
    done sooner by one. How much depends on the machine, so it is tried.

    Parameters
    ----------
    cores : int, optional
        How many there are.

    Examples
    --------
    >>> second = SecondCore(cores=2)
    >>> second.threads(0.9)
    2
    """

    def __init__(self, cores: int | None = None) -> None:
        self._several = (cores or os.cpu_count() or 1) > 1
        self._threads = 1
        self._alone = 0.0
        self._tried = self._pause = 0

    def threads(self, load: float) -> int:
        """How many threads shall render the next block, 1 or 2.

        Parameters
        ----------
        load : float
            Share of real time that blocks take, slowly following, 0 and up.
        """
        if not self._several:
            return 1
        self._pause = max(0, self._pause - 1)
        if self._threads == 1:
            if load > BUSY and not self._pause:
                self._threads, self._alone, self._tried = 2, load, 0
        elif load < CALM:
            self._threads = 1
        else:
            self._tried += 1
            if self._tried == TRIAL_BLOCKS and load > _HELPS * self._alone:
                self._threads, self._pause = 1, PAUSE_BLOCKS
        return self._threads
