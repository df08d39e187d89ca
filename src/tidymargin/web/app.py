"""The web application: security, errors and pages put together."""

import secrets
from pathlib import Path

from flask import Flask, Response, current_app, jsonify, render_template, request
from flask_babel import Babel
from flask_wtf import CSRFProtect
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from tidymargin.core.errors import (
    DomainError,
    NotFoundError,
    RefusedError,
    StorageFullError,
    TooLargeError,
)
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.outcomes import outcome_of
from tidymargin.services.workshop import Workshop
from tidymargin.store.originals import FULL

_FORM_BYTES = 2 * 1024 * 1024
IN_MEMORY_BYTES = 64 * 1024 * 1024
"""A larger request is laid aside in a file while it is sent."""

_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; connect-src 'self'; "
    "img-src 'self' blob:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
_FIELDS_WITH_A_PLACE = {
    "tolerance", "colour", "kind", "backdrop", "margin_px", "fences", "crumbs_px", "pinholes_px", "spill",
    "area", "degrees",
}  # fmt: skip


def the_workshop() -> Workshop:
    """Return the data folder that this application serves."""
    found: Workshop = current_app.extensions["workshop"]
    return found


def _load_secret(folder: Path) -> bytes:
    """Return the key that signs form tokens; made once per data folder, readable by its owner only."""
    place = folder / "secret"
    if not place.exists():
        place.touch(mode=0o600)
        place.write_bytes(secrets.token_bytes(32))
    return place.read_bytes()


def _wants_fragment() -> bool:
    head = request.headers
    return "HX-Request" in head and "HX-Boosted" not in head and "HX-History-Restore-Request" not in head  # fmt: skip


def _field_of(error: DomainError) -> str:
    return (error.field or "").split(".")[-1]


def _show_error(error: DomainError) -> Response:
    status, _ = outcome_of(error)
    if request.accept_mimetypes.best == "application/json":
        response = jsonify(message=error.message, hint=error.hint)
    elif _wants_fragment():
        response = Response(render_template("_error.html", error=error))
        placed = _field_of(error) in _FIELDS_WITH_A_PLACE
        response.headers["HX-Retarget"] = f"#said-{_field_of(error)}" if placed else "#messages"
        response.headers["HX-Reswap"] = "innerHTML"
        if status == 409:
            response.headers["HX-Trigger-After-Swap"] = "sheet:behind"
    else:
        response = Response(render_template("error.html", error=error))
    response.status_code = status
    response.vary.add("HX-Request")
    return response


def _show_http_error(error: HTTPException) -> Response:
    if isinstance(error, RequestEntityTooLarge):
        return _show_error(
            TooLargeError(
                "Expected a file of at most 500 MB, got a larger one.",
                hint="Save it as PNG or JPEG and add that.",
            )
        )
    if isinstance(error, CSRFError):
        return _show_error(
            RefusedError(
                "This page is too old, or the request did not come from it.",
                hint="Reload the page and do it again; nothing was changed.",
            )
        )
    if error.code == 404:
        return _show_error(NotFoundError("There is no such page.", hint="Go back to the trays."))
    return Response(f"{error.code} {error.name}\n", status=error.code, mimetype="text/plain")


def _show_os_error(error: OSError) -> Response:
    """Say that the disk is full where a request could not even be taken in; all else is our bug."""
    if error.errno not in FULL:
        raise error
    return _show_error(
        StorageFullError(
            "The disk is full, so this could not be taken in.",
            hint="Free some room and do it again; everything saved before is safe.",
        )
    )


def _protect(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = _POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    if not request.path.startswith("/static/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response


def create_app(workshop: Workshop, *, hosts: tuple[str, ...] = ()) -> Flask:
    """Make the application that serves a data folder.

    Parameters
    ----------
    workshop : Workshop
        The open data folder.
    hosts : tuple of str
        Host names answered to beside this machine's own.
    """
    from tidymargin.web.pages import bench, pixels, trays

    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=_load_secret(workshop.folder),
        MAX_CONTENT_LENGTH=MAX_FILE_BYTES + _FORM_BYTES,
        MAX_FORM_MEMORY_SIZE=_FORM_BYTES,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", *hosts],
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=False,
    )
    app.extensions["workshop"] = workshop
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    Babel(app, default_locale="en")
    CSRFProtect(app)
    app.register_error_handler(DomainError, _show_error)
    app.register_error_handler(HTTPException, _show_http_error)
    app.register_error_handler(OSError, _show_os_error)
    app.after_request(_protect)
    for area in (trays, bench, pixels):
        app.register_blueprint(area.blueprint)
    return app
