"""In which language a page is: as its reader chose, else as the browser asks; texts of scripts, and errors, in it.

Errors are English sentences wherever they are raised, and may come from another process or a database. They are found in the
catalogue by what they say: by the text itself, or by the text with slots that gives it.
"""

import json
import re
from functools import cache
from pathlib import Path
from typing import Any

from babel.messages.pofile import read_po
from babel.numbers import get_decimal_symbol, get_group_symbol
from flask import Blueprint, Response, current_app, has_request_context, redirect, request, url_for
from flask_babel import get_locale, get_translations
from werkzeug.wrappers import Response as AnyResponse

LANGUAGES = {"en": "English", "de": "Deutsch"}
"""By what browsers call them, each in itself."""

COOKIE = "language"
_YEAR_S = 365 * 24 * 3600
_SLOT = re.compile(r"%\((\w+)\)[sd]")
_AMOUNT = re.compile(r"(?=.*\d)[\d.,\s−-]+((px|mm|cm|KB|MB|GB|dpi|s|%|°|×|²|h|min)[\d.,\s−-]*)*")

_LEAST_SAID = 10  # letters beside its slots, by which a text is known again

NAMES = frozenset({"name", "names", "tray", "shape", "of", "folder", "path", "place", "source", "target", "same", "given", "text", "part"})  # fmt: skip
"""Slots of what people wrote or called something, and of where it lies: shown as it is."""

blueprint = Blueprint("language", __name__)


def known_languages() -> dict[str, str]:
    """Return the languages that there are."""
    known: dict[str, str] = current_app.config["LANGUAGES"]
    return known


def choose_language() -> str:
    """Return the language of what is answered now."""
    if not has_request_context():
        return "en"
    known = known_languages()
    chosen = request.cookies.get(COOKIE, "")
    return chosen if chosen in known else request.accept_languages.best_match(list(known)) or "en"


@blueprint.post("/language")
def set_language() -> AnyResponse:
    """Keep in the browser which language is wanted, and show the page again that asked."""
    wanted = request.form.get("language", "")
    return keep_in_browser(COOKIE, wanted if wanted in known_languages() else "en")


def keep_in_browser(name: str, value: str) -> AnyResponse:
    """Keep something small in the browser, and show the page again that asked, by its path alone."""
    path = request.form.get("page", "")
    is_own = re.fullmatch(r"/(?!/)[\w/?=:,&.-]*", path)
    response = redirect(path if is_own else url_for("trays.show_trays"), 303)
    response.set_cookie(name, value, max_age=_YEAR_S, samesite="Lax", httponly=True)
    return response


@blueprint.get("/words.js")
def send_words() -> Response:
    """Send the words of scripts in the reader's language."""
    language = choose_language()
    texts = _list_texts_of_scripts(language, current_app.config["BABEL_TRANSLATION_DIRECTORIES"])
    code = f"export const language = {json.dumps(language)};\nexport const words = {json.dumps(texts)};\n"
    response = Response(code, mimetype="text/javascript")
    response.headers["Cache-Control"] = "no-cache"
    response.vary.update(("Cookie", "Accept-Language"))
    return response


@cache
def _list_texts_of_scripts(language: str, folders: str) -> dict[str, str]:
    for folder in folders.split(";"):
        place = Path(current_app.root_path) / folder / language / "LC_MESSAGES" / "messages.po"
        if place.exists():
            with place.open("rb") as file:
                return {
                    str(message.id): str(message.string)
                    for message in read_po(file)
                    if any(name.endswith(".js") for name, _ in message.locations)
                }
    return {}


def localise(text: str) -> str:
    """Return amounts, such as 4.2 or 1,024 × 90.5 px, as the reader's language writes them; all else as it is."""
    if choose_language() == "en" or not _AMOUNT.fullmatch(text):
        return text
    locale = get_locale()
    signs = {".": get_decimal_symbol(locale), ",": get_group_symbol(locale)}
    return re.sub(r"(?<=\d)[.,](?=\d)", lambda found: signs[found[0]], text)


def translate(text: str) -> str:
    """Return what an error says in the reader's language; English where the catalogue does not know it."""
    if not text or choose_language() == "en":
        return text
    catalogue = get_translations()
    found = str(catalogue.ugettext(text))
    if found != text:
        return found
    for pattern, message in _list_patterns(catalogue):
        match = pattern.fullmatch(text)
        if match is not None:
            slots = {name: _fill(name, value) for name, value in match.groupdict().items()}
            return str(catalogue.ugettext(message)) % slots
    return text


def _fill(slot: str, value: str) -> str:
    """Return what a slot holds in the reader's language; what somebody gave a name to, or where it lies, stays as it is."""
    return value if slot in NAMES else localise(str(get_translations().ugettext(value)))


@cache
def _list_patterns(catalogue: Any) -> list[tuple[re.Pattern[str], str]]:
    """Return the texts with slots as patterns, those first that say most themselves; those that say hardly anything fit anything."""
    said = {
        text: len(_SLOT.sub("", text))
        for text in catalogue._catalog
        if isinstance(text, str) and _SLOT.search(text)
    }
    texts = sorted(
        (text for text in said if said[text] >= _LEAST_SAID), key=lambda text: -said[text]
    )
    return [(_to_pattern(text), text) for text in texts]


def _to_pattern(text: str) -> re.Pattern[str]:
    parts = re.split(r"%\((\w+)\)[sd]", text)
    for number, part in enumerate(parts):
        again = part in parts[1:number:2]
        parts[number] = re.escape(part.replace("%%", "%")) if number % 2 == 0 else f"(?P={part})" if again else f"(?P<{part}>.+?)"  # fmt: skip
    return re.compile("".join(parts), re.DOTALL)
