"""``bloom serve`` and ``bloom demo``: the application in a browser."""

from __future__ import annotations

import ipaddress
import os
import secrets
import socket
import sys
import webbrowser
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click
from click.core import ParameterSource
from platformdirs import user_data_path

from innerbloom.loading import loading

if TYPE_CHECKING:
    from innerbloom.web.services import Services


def _is_loopback(host: str) -> bool:
    try:
        return host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


_SHORTEST_TOKEN = 8


def _is_free(host: str, port: int) -> bool:
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return False
    return True


def _free_port(host: str, wanted: int) -> int:
    """The wanted port; another is taken only in place of the default."""
    if _is_free(host, wanted):
        return wanted
    context = click.get_current_context()
    if context.get_parameter_source("port") is not ParameterSource.DEFAULT:
        raise click.ClickException(f"Port {wanted} of {host} cannot be had: choose another.")
    for port in range(wanted + 1, wanted + 50):
        if _is_free(host, port):
            return port
    raise click.ClickException(f"No port from {wanted} to {wanted + 49} is free on {host}.")


def _serve(
    root: Path, host: str, port: int, token: str | None, open_page: bool, *,
    restore: bool = False, begun: Callable[[Services], object] = lambda _: None,
) -> None:  # fmt: skip
    with loading():
        from innerbloom.web.serving import Serving

    if token is not None and len(token) < _SHORTEST_TOKEN:
        raise click.ClickException(
            f"A token has {_SHORTEST_TOKEN} characters at least, or it is guessed: for instance "
            f"{secrets.token_urlsafe(12)}."
        )
    if not _is_loopback(host) and token is None:
        raise click.ClickException(
            f"{host} can be reached from other machines: give --token SECRET (for instance "
            f"{secrets.token_urlsafe(9)}), or leave --host out."
        )
    wanted, port = port, _free_port(host, port)
    shown = f"[{host}]" if ":" in host else host
    address = f"http://{shown}:{port}/" + (f"?token={token}" if token else "")
    with _held(root, address.partition("?")[0], open_page=open_page):
        _check_database(root, restore=restore)
        if port != wanted:
            click.echo(f"Port {wanted} is taken already, so this one is at {port}.")
        click.echo(f"Inner Bloom is at {address}")
        click.echo(f"Project folder: {root}. Stop with Ctrl+C.")
        if open_page:
            webbrowser.open(address)
        Serving(root, host, port, token, begun=begun).run()


def _check_database(root: Path, *, restore: bool) -> None:
    """Refuse a database that cannot be opened, or put its newest copy in its place."""
    from innerbloom.store import backups

    database = root / "project.sqlite3"
    try:
        backups.check_database(database)
    except backups.DatabaseDamaged as error:
        asked = sys.stdin.isatty() and sys.stdout.isatty() and error.copy is not None
        if not restore and not (asked and click.confirm(f"{error} Go on with the copy?")):
            raise
        copy = backups.restore(database)
        click.echo(f"The copy of {copy.stem} is in place of the damaged database.")


@contextmanager
def _held(root: Path, address: str = "", *, open_page: bool = False) -> Iterator[None]:
    """Hold a project's folder, or say who does, and open where it is served if that is wanted."""
    from innerbloom.store.folder_lock import FolderInUse, folder_lock

    # what lies in a project is for its owner's eyes
    os.umask(0o077)
    try:
        with folder_lock(root, address):
            yield
    except FolderInUse as error:
        asked = sys.stdin.isatty() and sys.stdout.isatty()
        if error.address and (open_page or (asked and click.confirm(f"{error} Open it?"))):
            webbrowser.open(error.address)
        raise


def _token(context: click.Context, option: click.Parameter, given: str | None) -> str | None:
    """A token as it is, or the first line of a file, where it does not stand in the list of processes."""
    if given is None or not given.startswith("@"):
        return given
    try:
        return Path(given[1:]).read_text("utf-8").strip().partition("\n")[0]
    except (OSError, UnicodeDecodeError) as error:
        raise click.BadParameter(f"'{given[1:]}' cannot be read.") from error


_OPTIONS = (
    click.option("--host", default="127.0.0.1", show_default=True),
    click.option("--port", default=8530, show_default=True, type=click.IntRange(1024, 65535)),
    click.option(
        "--token",
        envvar="BLOOM_TOKEN",
        show_envvar=True,
        callback=_token,
        help="Asked of every page; needed beyond loopback. @FILE reads it from a file.",
    ),
    click.option("--open/--no-open", "open_page", default=False, help="Open a browser."),
)


def _with_options(function):  # type: ignore[no-untyped-def]
    for option in reversed(_OPTIONS):
        function = option(function)
    return function


@click.command()
@click.option("--folder", type=click.Path(path_type=Path, file_okay=False),
              help="Where the project is kept; by default in your data folder.")  # fmt: skip
@click.option("--restore", is_flag=True,
              help="Go on with the newest daily copy where the database is damaged.")  # fmt: skip
@_with_options
def serve(
    folder: Path | None, restore: bool, host: str, port: int, token: str | None, open_page: bool
) -> None:
    """Serve a project, by default your own."""
    root = folder or user_data_path("inner-bloom") / "project"
    _serve(root, host, port, token, open_page, restore=restore)


@click.command()
@click.option("--folder", type=click.Path(path_type=Path, file_okay=False),
              help="Where the demo project is kept.")  # fmt: skip
@click.option("--fresh", is_flag=True, help="Make the demo project anew.")
@click.option("--prepare-only", is_flag=True, help="Make the project, and serve nothing.")
@_with_options
def demo(
    folder: Path | None, fresh: bool, prepare_only: bool, host: str, port: int,
    token: str | None, open_page: bool,
) -> None:  # fmt: skip
    """Fill a separate demo project, The Drowned Glasshouse, and serve it."""
    from innerbloom.demo.project import complete_demo, make_demo_project

    root = folder or user_data_path("inner-bloom") / "demo"
    with _held(root):
        make_demo_project(root, fresh=fresh, say=click.echo, whole=prepare_only)
    if not prepare_only:
        _serve(root, host, port, token, open_page, begun=complete_demo)
