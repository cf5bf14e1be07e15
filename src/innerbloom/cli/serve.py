"""``bloom serve`` and ``bloom demo``: the application in a browser."""

from __future__ import annotations

import ipaddress
import secrets
import socket
import webbrowser
from pathlib import Path

import click
from platformdirs import user_data_path


def _is_loopback(host: str) -> bool:
    try:
        return host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


_SHORTEST_TOKEN = 8


def _free_port(host: str, wanted: int) -> int:
    """The wanted port, or the next free one after it."""
    for port in range(wanted, wanted + 50):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError:
                continue
            return port
    raise click.ClickException(f"No free port from {wanted} on.")


def _serve(root: Path, host: str, port: int, token: str | None, open_page: bool) -> None:
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
    port = _free_port(host, port)
    shown = f"[{host}]" if ":" in host else host
    address = f"http://{shown}:{port}/" + (f"?token={token}" if token else "")
    click.echo(f"Inner Bloom is at {address}")
    click.echo(f"Project folder: {root}. Stop with Ctrl+C.")
    if open_page:
        webbrowser.open(address)
    Serving(root, host, port, token).run()


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
@_with_options
def serve(folder: Path | None, host: str, port: int, token: str | None, open_page: bool) -> None:
    """Serve a project, by default your own."""
    _serve(folder or user_data_path("inner-bloom") / "project", host, port, token, open_page)


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
    from innerbloom.demo.project import make_demo_project

    root = folder or user_data_path("inner-bloom") / "demo"
    make_demo_project(root, fresh=fresh, say=click.echo)
    if not prepare_only:
        _serve(root, host, port, token, open_page)
