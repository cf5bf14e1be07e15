"""Filling a project with the demo: its shelf first, then what takes long."""

from __future__ import annotations

import logging
import shutil
import time
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from pathlib import Path

from innerbloom.core.compiling import is_warm
from innerbloom.demo.later import make_the_rest
from innerbloom.demo.making import Making, as_jobs, in_pool
from innerbloom.demo.shelf import fill_shelf
from innerbloom.processes import background_executor
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.folder_lock import LOCK
from innerbloom.store.settings import ProjectSettings, write_settings
from innerbloom.web.services import Services

PROJECT = "The Drowned Glasshouse"
_BEGUN, _SHELF, _DONE = "demo-begun", "demo-shelf", "demo-complete"
"""Files that say how far it is."""

_LOOK_EVERY_S = 0.5

log = logging.getLogger(__name__)

Say = Callable[[str], object]


def _make_room(root: Path, *, fresh: bool) -> None:
    """Empty the folder of a demo that is to be made anew, or was stopped before its shelf was there.

    What somebody may hold, the lock, stays.
    """
    found = [one for one in root.iterdir() if one.name != LOCK]
    if found and not any((root / mark).exists() for mark in (_BEGUN, _SHELF, _DONE)):
        raise FileExistsError(17, "is not a demo project and is left alone", str(root))
    if fresh or not any((root / mark).exists() for mark in (_SHELF, _DONE)):
        for one in found:
            if one.is_dir():
                shutil.rmtree(one)
            else:
                one.unlink()


def make_demo_project(root: Path, *, fresh: bool, say: Say, whole: bool = True) -> None:
    """Make the demo project in a folder, unless it is there already.

    Parameters
    ----------
    root : Path
    fresh : bool
        Whether to make it anew.
    say : callable
        Is told in a few words what comes next.
    whole : bool
        False leaves what takes long to :func:`complete_demo`.

    Raises
    ------
    FileExistsError
        If the folder holds something else.
    """
    if root.exists():
        _make_room(root, fresh=fresh)
    if (root / _DONE).exists():
        say(f"The demo project is in {root}.")
        return
    root.mkdir(parents=True, exist_ok=True)
    (root / _BEGUN).touch()
    files = FileStore(root)
    # its processes begin before the database is opened
    with ProcessPoolExecutor() as pool:
        pool.submit(time.time).result()
        with open_database(files.database)() as db:
            making = Making(db, files, pool, in_pool(pool, db, files), say)
            if not (root / _SHELF).exists():
                write_settings(db, ProjectSettings(project=PROJECT))
                fill_shelf(making)
                (root / _SHELF).touch()
            if whole and make_the_rest(making):
                (root / _DONE).touch()


def complete_demo(services: Services) -> None:
    """Make what takes long while the project is served, once its engine is compiled."""
    root = services.files.root
    if (root / _DONE).exists():
        return
    while not is_warm():
        time.sleep(_LOOK_EVERY_S)
    with background_executor(idle=True) as pool, services.sessions() as db:
        making = Making(db, services.files, pool, as_jobs(services.jobs, db), log.info)
        try:
            if make_the_rest(making):
                (root / _DONE).touch()
        except BrokenExecutor:
            # as when whoever stops the server ends all its processes
            log.warning("The demo is not whole yet: the next start goes on with it.")
