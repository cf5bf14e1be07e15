"""Who may talk to the server, and what pages may do."""

from __future__ import annotations

import hmac
from urllib.parse import urlsplit

from apiflask import APIFlask
from flask import Response, abort, request

COOKIE = "bloom_token"
_LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "img-src 'self' data:; media-src 'self'; connect-src 'self' ws://{host}:*; worker-src 'self'; "
    "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)


def host_name(host: str) -> str:
    """The name in a Host header, without its port."""
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host


def guard(app: APIFlask, token: str | None) -> None:
    """Check Host, Origin and, where one is set, the token of every request."""

    @app.before_request
    def check() -> Response | None:
        host = request.headers.get("Host", "")
        if token is None and host_name(host) not in _LOOPBACK:
            abort(403, "This address is not one the application answers to: open it on 127.0.0.1.")
        origin = request.headers.get("Origin")
        if origin is not None and urlsplit(origin).netloc != host:
            abort(403, "Another page tried to use this application, and was refused.")
        ours = request.headers.get("Sec-Fetch-Site", "same-origin") in ("same-origin", "none")
        # another page may lead here, but neither ask for anything nor change it
        if not ours and (request.path.startswith("/api") or request.method not in ("GET", "HEAD")):
            abort(403, "Another page tried to use this application, and was refused.")
        return _check_token(token) if token else None

    @app.after_request
    def secure(response: Response) -> Response:
        name = host_name(request.headers.get("Host", "127.0.0.1"))
        response.headers["Content-Security-Policy"] = _POLICY.format(host=name)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response


def _check_token(token: str) -> Response | None:
    given = request.args.get("token")
    if given is not None and hmac.compare_digest(given.encode(), token.encode()):
        response = Response(status=303, headers={"Location": request.path})
        response.set_cookie(COOKIE, token, httponly=True, samesite="Strict")
        return response
    kept = request.cookies.get(COOKIE, "")
    if not hmac.compare_digest(kept.encode(), token.encode()):
        abort(401, "This server needs its token: open the address that it printed when it started.")
    return None
