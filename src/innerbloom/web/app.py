"""The Flask application: one blueprint a resource, one sentence an error."""

from __future__ import annotations

import errno
from pathlib import Path
from typing import Any

from apiflask import APIFlask, HTTPError
from flask import Response, current_app, jsonify, request, send_from_directory
from flask.json.provider import DefaultJSONProvider
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import DatabaseError
from werkzeug.exceptions import HTTPException
from werkzeug.routing import IntegerConverter, Map

from innerbloom import __version__
from innerbloom.core.declare.validation import first_wrong
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.sentences import SentenceError
from innerbloom.jobs.kind import as_file
from innerbloom.jobs.measuring import outdated
from innerbloom.jobs.service import JobService
from innerbloom.processes import background_executor
from innerbloom.store.captures import Captures
from innerbloom.store.database import open_database
from innerbloom.store.documents import OutOfDateError
from innerbloom.store.files import FileStore
from innerbloom.store.refusals import database_refusal
from innerbloom.store.settings import read_settings
from innerbloom.store.shelf import Shelf
from innerbloom.store.tidying import tidy
from innerbloom.web.guard import guard
from innerbloom.web.openapi import files_and_refusals, one_schema_a_model
from innerbloom.web.routes import (
    bench,
    ensembles,
    exporting,
    exports,
    gathering,
    instruments,
    jobs,
    layers,
    mixing,
    movement,
    outlines,
    pictures,
    pieces,
    project,
    reading,
    recordings,
    samples,
    snapshots,
    spectra,
    swaps,
    tables,
    take_files,
    takes,
    timelines,
    variations,
)
from innerbloom.web.services import Live, Services, close_database

STATIC = Path(__file__).parent / "static"


class DatabaseNumber(IntegerConverter):
    """A number in an address that a database may hold; larger ones lead nowhere (404)."""

    def __init__(self, map: Map, **options: Any) -> None:
        super().__init__(map, max=2**53, **options)


class FiniteJson(DefaultJSONProvider):
    """JSON (RFC 8259) that knows no NaN: a page could not read it."""

    def dumps(self, obj: Any, **kwargs: Any) -> str:
        return super().dumps(obj, **{"allow_nan": False, **kwargs})


_RESOURCES = (
    recordings, spectra, tables, bench, exporting, exports, pictures, pieces, gathering, instruments,
    ensembles, layers, mixing, movement, snapshots, outlines, jobs, project, takes, take_files,
    variations, samples, swaps, timelines, reading,
)  # fmt: skip


def create_app(
    root: Path,
    live: Live,
    *,
    token: str | None = None,
    make_executor: Any = background_executor,
) -> APIFlask:
    """The application on one project folder.

    Parameters
    ----------
    root : Path
        Folder of the project, made if it is not there.
    live : Live
        Hands out tickets to live sessions.
    token : str, optional
        Required of every request where the server is reachable from elsewhere.
    make_executor : callable
        Makes the ``concurrent.futures`` executor that jobs run on.
    """
    app = app_without_project(token)
    app.extensions["innerbloom"] = open_project(root, live, make_executor)
    return app


def app_without_project(token: str | None = None) -> APIFlask:
    """All routes, and no project yet: it goes into ``app.extensions["innerbloom"]``."""
    app = APIFlask(
        __name__,
        title="Inner Bloom",
        version=__version__,
        docs_path=None,
        spec_path="/api/openapi.json",
        static_folder=None,  # type: ignore[arg-type]
    )
    app.json = FiniteJson(app)
    app.url_map.converters["int"] = DatabaseNumber
    app.config["VALIDATION_ERROR_STATUS_CODE"] = 422
    # where it is served is said by whoever asks
    app.config["AUTO_SERVERS"] = False
    app.spec_processor(lambda spec: files_and_refusals(one_schema_a_model(spec)))
    app.teardown_appcontext(close_database)
    guard(app, token)
    for resource in _RESOURCES:
        app.register_blueprint(resource.bp)
    app.register_blueprint(movement.kept_bp)
    _serve_pages(app)
    _speak_plainly(app)
    _speak_plainly_of_faults(app)
    return app


def open_project(root: Path, live: Live, make_executor: Any = background_executor) -> Services:
    """A project's files, database and jobs; what has to go on or to be tidied is begun.

    Parameters
    ----------
    root, live, make_executor
        As :func:`create_app` is given them.
    """
    files = FileStore(root)
    sessions = open_database(files.database)
    service = JobService(files, sessions, make_executor)
    service.resume()
    Captures(files).sweep()
    with sessions() as db:
        tidy(files, db, read_settings(db))
        old, scheduler = outdated(db), read_settings(db).scheduler
    if old:
        service.submit("measure", f"{len(old)} sounds", {"scheduler": scheduler}, as_file(old))
    return Services(files, sessions, service, Shelf(sessions), live)


def _serve_pages(app: APIFlask) -> None:
    @app.get("/")
    @app.get("/<path:path>")
    @app.doc(hide=True)
    def page(path: str = "") -> Response:
        """The front end; a path of one of its views gets its first page."""
        if path.startswith("api/"):
            raise HTTPError(404, "There is nothing at this address.")
        if path and (STATIC / path).is_file():
            response = send_from_directory(STATIC, path)
            if path.startswith("assets/"):
                response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
            return response
        if not (STATIC / "index.html").is_file():
            raise HTTPError(503, "The front end is not built: run 'make setup'.")
        response = send_from_directory(STATIC, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response


def _speak_plainly(app: APIFlask) -> None:
    @app.error_processor
    def api_error(error: HTTPError) -> tuple[Any, int, Any]:
        return {"message": _sentence(error)}, error.status_code, error.headers

    @app.errorhandler(OutOfDateError)
    def out_of_date(error: OutOfDateError) -> tuple[Response, int]:
        return jsonify(message=str(error)), 409

    @app.errorhandler(SentenceError)
    def not_understood(error: SentenceError) -> tuple[Response, int]:
        return jsonify(message=str(error), at=error.at), 400

    @app.errorhandler(BloomError)
    def refused(error: BloomError) -> tuple[Response, int]:
        return jsonify(message=str(error)), 400

    @app.errorhandler(RecursionError)
    def too_deep(_: RecursionError) -> tuple[Response, int]:
        return jsonify(message="The request is nested more deeply than anything here is."), 400

    @app.errorhandler(ValidationError)
    def invalid(error: ValidationError) -> tuple[Response, int]:
        first = error.errors(include_url=False)[0]
        path = ".".join(str(part) for part in first["loc"])
        return jsonify(message=f"{path}: {first['msg']}."), 422

    @app.errorhandler(HTTPException)
    def http_error(error: HTTPException) -> tuple[Response, int]:
        return jsonify(message=error.description or error.name), error.code or 500


def _speak_plainly_of_faults(app: APIFlask) -> None:
    @app.errorhandler(OSError)
    def disk_error(error: OSError) -> tuple[Response, int]:
        app.logger.exception("disk")
        if error.errno == errno.ENOSPC:
            return jsonify(message="The disk is full: make room and try again."), 507
        return jsonify(message=f"The disk refused: {error.strerror or error}."), 507

    @app.errorhandler(DatabaseError)
    def database_error(error: DatabaseError) -> tuple[Response, int]:
        said = database_refusal(error)
        if said is None:
            return unforeseen(error)
        app.logger.error("database: %s", error.orig)
        return jsonify(message=said), 507

    @app.errorhandler(Exception)
    def unforeseen(_: Exception) -> tuple[Response, int]:
        app.logger.exception("unforeseen")
        return jsonify(message="Something unforeseen went wrong: the log says what."), 500


def _unknown_name() -> str | None:
    """What the request's body names that there is not, with the nearest name there is; None if all are known."""
    view = current_app.view_functions.get(request.endpoint or "")
    model = getattr(view, "_spec", {}).get("body")
    if not (isinstance(model, type) and issubclass(model, BaseModel)):
        return None
    data = request.get_json(silent=True)
    try:
        model.model_validate(data)
    except ValidationError as error:
        if any(one["type"] == "extra_forbidden" for one in error.errors(include_url=False)):
            return f"{first_wrong(error, model, data)}."
    return None


def _sentence(error: HTTPError) -> str:
    """The first thing wrong with a request, with its path."""
    detail: Any = error.detail
    if not detail:
        return str(error.message)
    unknown = _unknown_name()
    if unknown is not None:
        return unknown
    path: list[str] = []
    while isinstance(detail, dict) and detail:
        key, detail = next(iter(detail.items()))
        path.append(str(key))
    reason = detail[0] if isinstance(detail, list) and detail else detail
    if isinstance(reason, dict):
        reason = reason.get("msg", reason)
    place = ".".join(part for part in path[1:] if part != "_schema")
    return f"{place or 'request'}: {reason}.".replace("..", ".")
