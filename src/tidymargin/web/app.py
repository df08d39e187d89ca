"""The web application: security, errors and pages put together."""

import hashlib
import logging
import re
import secrets
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from types import MappingProxyType

from flask import Flask, Response, current_app, jsonify, render_template, request
from flask_babel import Babel
from flask_wtf import CSRFProtect
from flask_wtf.csrf import CSRFError
from sqlalchemy.exc import DatabaseError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge
from werkzeug.routing import IntegerConverter

from tidymargin.core.base.errors import (
    BusyError,
    DomainError,
    FaultError,
    NotFoundError,
    RefusedError,
    StaleHeadError,
    StoppedError,
    StorageFullError,
    TooLargeError,
)
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.outcomes import outcome_of
from tidymargin.process import FULL, OUT_OF_FILES, say_out_of_files
from tidymargin.services.folder.watching import Watched
from tidymargin.services.picture.warming import compiled_share
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.aside import write_aside
from tidymargin.store.database import to_words
from tidymargin.store.folder import unusable
from tidymargin.web import language
from tidymargin.web.answers import OPENED_STEPS, opened_step
from tidymargin.web.context import MOST_FORM_BYTES, send_nothing, the_workshop
from tidymargin.web.language import (
    LANGUAGES,
    choose_language,
    known_languages,
    localise,
    translate,
)
from tidymargin.web.pages import (
    bench,
    comparing,
    guide,
    pixels,
    scene_cuts,
    scene_pixels,
    scenes,
    shelf,
    tray,
    trays,
)
from tidymargin.web.pages.steps import STEP_PAGES
from tidymargin.web.scene_answers import opened_sentence

log = logging.getLogger(__name__)

_SECRET_BYTES = 32
_FORM_PARTS = 1000
_MOST_REQUEST_BYTES = MAX_FILE_BYTES + MOST_FORM_BYTES
_PLACE = re.compile(r'id="said-(\w+)"')
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; connect-src 'self'; "
    "img-src 'self' blob:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)


def _load_secret(folder: Path) -> bytes:
    """Return the key that signs form tokens, readable by its owner only; made anew where it is not whole."""
    place = folder / "secret"
    try:
        found = place.read_bytes()
        if len(found) >= _SECRET_BYTES:
            return found
    except FileNotFoundError:
        pass
    except OSError as error:
        raise unusable(folder, error) from error
    try:
        with write_aside(place, replace=True) as file:
            file.write(secrets.token_bytes(_SECRET_BYTES))
        return place.read_bytes()
    except OSError as error:
        raise unusable(folder, error) from error


class _Number(IntegerConverter):
    """A whole number in an address, of at most so many digits as the database can count to."""

    regex = r"\d{1,15}"


def _wants_fragment() -> bool:
    head = request.headers
    return "HX-Request" in head and "HX-Boosted" not in head and "HX-History-Restore-Request" not in head  # fmt: skip


@cache
def _list_places(page: str) -> frozenset[str]:
    """Return the fields that have a place of their own on a kind of page, as the templates say."""
    loader = current_app.jinja_env.loader
    kinds = (f"{page}/", "bench/_history")
    names = [n for n in current_app.jinja_env.list_templates() if n.startswith(kinds)]
    sources = (loader.get_source(current_app.jinja_env, name)[0] for name in names if loader)
    return frozenset(place for source in sources for place in _PLACE.findall(source))


def _place_for(error: DomainError) -> str:
    """Return where on the page an error is said: in its sentence, in the open one, or above all."""
    page = "scenes" if request.path.startswith("/scenes/") else "bench"
    for part in reversed((error.field or "").split(".")):
        if part in _list_places(page):
            return f"#said-{part}"
    if isinstance(error, StaleHeadError):  # the ledger is loaded anew
        return "#messages"
    try:
        opened = opened_step() in OPENED_STEPS or bool(opened_sentence())
        is_change = request.method == "POST" and opened
    except (DomainError, HTTPException):  # nothing of what was sent can be read
        is_change = False
    return "#said-open" if is_change else "#messages"


def _show_error(error: DomainError) -> Response:
    if isinstance(error, StoppedError) and "head" in request.args:  # the sheet went on meanwhile
        return send_nothing()
    status, _ = outcome_of(error)
    place = _place_for(error)
    if request.accept_mimetypes.best in ("application/json", "application/octet-stream"):
        response = jsonify(
            message=translate(error.message),
            hint=translate(error.hint),
            place=place,
            isBehind=status == 409,
        )
    elif _wants_fragment():
        response = Response(render_template("_error.html", error=error))
        response.headers["HX-Retarget"] = place
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
        if (request.content_length or 0) <= _MOST_REQUEST_BYTES:
            return _show_error(
                TooLargeError(
                    f"This form has more than {_FORM_PARTS:,} parts or 2 MB of text.",
                    hint="Send it in several goes; nothing was changed.",
                )
            )
        return _show_error(
            TooLargeError(
                "This file is larger than the 500 MB that can be added.",
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


def _show_fault(error: Exception) -> Response:
    """Say in words what nobody foresaw; where the data folder is at fault, say that."""
    words = to_words(error) if isinstance(error, DatabaseError) else None
    if isinstance(error, OSError) and error.errno in FULL:
        words = StorageFullError(
            "The disk is full, so this could not be taken in.",
            hint="Free some disk space and do it again; everything saved before is safe.",
        )
    elif isinstance(error, PermissionError | IsADirectoryError | NotADirectoryError):
        words = unusable(the_workshop().folder, error)
    elif isinstance(error, OSError) and error.errno in OUT_OF_FILES:
        words = say_out_of_files()
    if isinstance(error, MemoryError):
        words = BusyError(
            "There was not enough memory for this just now.", hint="Do it again in a moment."
        )
    if words is None:
        log.error("a fault at %s %s", request.method, request.path, exc_info=error)
        words = FaultError(
            "Something went wrong in Tidy Margin itself.",
            hint="Nothing that was saved is lost. Do it again; what went wrong stands in the server’s own window.",
        )
    return _show_error(words)


def _protect(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = _POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    if not request.path.startswith("/static/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response


def _name_folder(folder: Path) -> str:
    return hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:12]


def create_app(
    workshop: Workshop,
    *,
    hosts: tuple[str, ...] = (),
    watched: Watched | None = None,
    more_languages: Mapping[str, Path] = MappingProxyType({}),
) -> Flask:
    """Make the application that serves a data folder.

    Parameters
    ----------
    workshop : Workshop
        The open data folder.
    hosts : tuple of str
        Host names answered to beside this machine's own.
    watched : Watched, optional
        What came of a folder that is watched.
    more_languages : mapping of str to Path
        Languages beside those that ship, with the folders of their catalogues.
    """
    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=_load_secret(workshop.folder),
        MAX_CONTENT_LENGTH=_MOST_REQUEST_BYTES,
        MAX_FORM_MEMORY_SIZE=MOST_FORM_BYTES,
        MAX_FORM_PARTS=_FORM_PARTS,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", *hosts],
        # by folder: cookies know no ports, and two servers of two folders must not share one
        SESSION_COOKIE_NAME=f"tidymargin-{_name_folder(workshop.folder)}",
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=False,
    )
    app.extensions["workshop"] = workshop
    app.extensions["watched"] = watched
    app.url_map.converters["int"] = _Number
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    folders = ["translations", *(str(folder) for folder in more_languages.values())]
    app.config["LANGUAGES"] = LANGUAGES | {language: language for language in more_languages}
    app.config["BABEL_TRANSLATION_DIRECTORIES"] = ";".join(folders)
    Babel(app, default_locale="en", locale_selector=choose_language)
    app.jinja_env.filters["translated"] = translate
    app.jinja_env.filters["amount"] = lambda text, *values: localise(text % values)
    CSRFProtect(app)
    app.register_error_handler(DomainError, _show_error)
    app.register_error_handler(HTTPException, _show_http_error)
    app.register_error_handler(Exception, _show_fault)
    app.after_request(_protect)
    for name in ("error.html", "_error.html", "base.html", "_compiling.html"):
        app.jinja_env.get_template(
            name
        )  # while it can be read: an error is said even where no file can be opened
    app.context_processor(
        lambda: {
            "compiled": compiled_share(),
            "language": choose_language(),
            "languages": known_languages(),
            "wants_hints": guide.wants_hints(),
        }
    )
    for page in (
        trays,
        tray,
        bench,
        pixels,
        comparing,
        shelf,
        scenes,
        scene_cuts,
        scene_pixels,
        language,
        guide,
        *STEP_PAGES,
    ):
        app.register_blueprint(page.blueprint)
    with app.app_context():
        for kind in ("bench", "scenes"):
            _list_places(kind)  # for the same reason
    return app
