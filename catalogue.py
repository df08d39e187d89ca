"""The catalogue of texts that people read: found in code, pages and scripts, and kept in step with its translations.

`./tidy languages` brings every catalogue up to date and compiles it; `./tidy check` says what is missing, left over or not translated.
"""

import ast
import io
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog, Message
from babel.messages.extract import extract
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

SOURCE = Path(__file__).parent / "src" / "tidymargin"
TRANSLATIONS = SOURCE / "web" / "translations"
LANGUAGES = ("de",)

_MARKS = {"gettext": 1, "gettext_noop": 1, "ngettext": 2, "Reason": 1}
_SAID_BY_ERRORS = ("message", "hint")
_TABLE = re.compile(r"_?(\w+_)?(WORDS|PLACES)")
_SLOT = re.compile(r"%\((\w+)\)[sd]")
# what no reader of a page is told
_LEFT_OUT = ("cli/", "demo/", "process.py")

Found = tuple[str, str | tuple[str, str]]


def find_texts() -> Iterator[Found]:
    """Yield every text with the place of its file below `src/tidymargin`; a pair where it depends on a count."""
    for path in sorted(SOURCE.rglob("*")):
        place = path.relative_to(SOURCE).as_posix()
        if path.suffix == ".py" and not place.startswith(_LEFT_OUT):
            yield from ((place, text) for text in _find_in_python(path.read_text()))
        elif path.suffix == ".html" or (path.suffix == ".js" and "vendor" not in path.parts):
            method = "jinja2.ext:babel_extract" if path.suffix == ".html" else "javascript"
            keywords = {"_": None, "ngettext": (1, 2)} if path.suffix == ".html" else {"_": None}  # fmt: skip
            with path.open("rb") as file:
                for _, text, _, _ in extract(method, file, keywords):
                    yield place, text if isinstance(text, str) else (text[0], text[1])


def _find_in_python(source: str) -> Iterator[str | tuple[str, str]]:
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            if any(isinstance(t, ast.Name) and _TABLE.fullmatch(t.id) for t in targets):
                yield from _find_in_table(node.value)
        if not isinstance(node, ast.Call):
            continue
        name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
        if name in _MARKS:
            texts = [_to_text(one) for one in node.args[: _MARKS[name]]]
            if None not in texts:
                yield texts[0] if len(texts) == 1 else (texts[0], texts[1])  # type: ignore[misc]
        elif name == "Change":
            yield from (t for t in map(_to_text, node.args[1:]) if t is not None)
        elif name == "append" and ast.unparse(node.func) == "remarks.append":
            yield from (t for t in map(_to_text, node.args) if t is not None)
        elif name.endswith("Error") and name != "ValueError":
            said = [*node.args[:1], *(k.value for k in node.keywords if k.arg in _SAID_BY_ERRORS)]
            for one in said:
                either = [one.body, one.orelse] if isinstance(one, ast.IfExp) else [one]
                yield from (t for t in map(_to_text, either) if t is not None and " " in t)


def _find_in_table(value: ast.expr | None) -> Iterator[str]:
    if isinstance(value, ast.Dict):
        for one in value.values:
            yield from _find_in_table(one)
    elif isinstance(value, ast.Tuple | ast.List):
        for one in value.elts:
            yield from _find_in_table(one)
    elif isinstance(value, ast.Constant) and isinstance(value.value, str):
        yield value.value


def _to_text(node: ast.expr) -> str | None:
    """Return a constant, or an f-string with slots in place of what is filled in."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    if not isinstance(node, ast.JoinedStr):
        return None
    parts, names = [], []
    for part in node.values:
        if isinstance(part, ast.Constant):
            parts.append(str(part.value).replace("%", "%%"))
            continue
        name = _name_slot(ast.unparse(part.value))  # type: ignore[attr-defined]
        names.append(name)
        same = names.count(name)
        parts.append(f"%({name}{same if same > 1 else ''})s")
    return "".join(parts)


def _name_slot(code: str) -> str:
    words = re.findall(r"[A-Za-z_]\w*", code)
    found = [word for word in words if word not in ("len", "self", "str", "type", "round", "join")]
    return str((found or ["what"])[-1]).strip("_").lower()


def make_template() -> Catalog:
    """Return a catalogue of all texts, with the files that they are in."""
    template = Catalog(project="Tidy Margin", charset="utf-8")
    for place, text in find_texts():
        template.add(text, locations=[(place, None)])  # type: ignore[list-item]
    return template


def _place(language: str) -> Path:
    return TRANSLATIONS / language / "LC_MESSAGES" / "messages.po"


def read_catalogue(language: str) -> Catalog:
    """Return the catalogue of a language as it is kept."""
    with _place(language).open("rb") as file:
        return read_po(file, locale=language)


def _compile(catalogue: Catalog) -> bytes:
    out = io.BytesIO()
    write_mo(out, catalogue)
    return out.getvalue()


def update() -> None:
    """Bring every catalogue in step with the texts, and compile it."""
    template = make_template()
    for language in LANGUAGES:
        place = _place(language)
        kept = read_catalogue(language) if place.exists() else Catalog(locale=language)
        catalogue = Catalog(locale=language, project="Tidy Margin", charset="utf-8")
        for message in template:
            if not message.id:
                continue
            known = kept.get(message.id if isinstance(message.id, str) else message.id[0])
            string = known.string if known is not None and known.id == message.id else ""
            catalogue.add(message.id, string, locations=sorted(set(message.locations)))
        place.parent.mkdir(parents=True, exist_ok=True)
        with place.open("wb") as file:
            write_po(file, catalogue, sort_output=True, include_lineno=False, width=0, omit_header=False)  # fmt: skip
        place.with_suffix(".mo").write_bytes(_compile(catalogue))
        left = sum(not _is_whole(message) for message in catalogue if message.id)
        sys.stdout.write(f"{language}: {len(catalogue)} texts, {left} not translated\n")


def _is_whole(message: Message) -> bool:
    return all(_list_strings(message))


def _list_strings(message: Message) -> list[str]:
    return [message.string] if isinstance(message.string, str) else list(message.string or ("",))


def find_faults() -> list[str]:
    """Return, in a line each, what of a catalogue is missing, left over, not translated or with other slots, and whether it wants compiling."""
    template = make_template()
    wanted = {message.id for message in template if message.id}
    faults = []
    for language in LANGUAGES:
        catalogue = read_catalogue(language)
        kept = {message.id: message for message in catalogue if message.id}
        faults += [f"{language}: missing: {text!r}" for text in wanted - set(kept)]
        faults += [f"{language}: left over: {text!r}" for text in set(kept) - wanted]
        for text, message in kept.items():
            first, last = (text, text) if isinstance(text, str) else text
            strings = _list_strings(message)
            if not _is_whole(message):
                faults.append(f"{language}: not translated: {text!r}")
            elif any(set(_SLOT.findall(s)) - set(_SLOT.findall(first + last)) for s in strings) or set(_SLOT.findall(last)) - set(_SLOT.findall(strings[-1])):  # fmt: skip
                faults.append(f"{language}: other slots: {text!r}")
        if _place(language).with_suffix(".mo").read_bytes() != _compile(catalogue):
            faults.append(f"{language}: compile it by ./tidy languages")
    return sorted(faults)


def main(arguments: list[str]) -> None:
    """Bring the catalogues up to date, or with `--check` say what is wrong with them, or with `--list` print every text."""
    if "--list" in arguments:
        found: dict[str, set[str]] = {}
        for place, text in find_texts():
            for one in (text,) if isinstance(text, str) else text:
                found.setdefault(one, set()).add(place)
        for text, places in sorted(found.items()):
            sys.stdout.write(f"{text}\n    {', '.join(sorted(places))}\n")
        return
    if "--check" not in arguments:
        update()
        return
    faults = find_faults()
    if faults:
        sys.stderr.write("\n".join(faults[:40]) + f"\n{len(faults)} in all; ./tidy languages brings the catalogues up to date.\n")  # fmt: skip
        raise SystemExit(1)


if __name__ == "__main__":
    main(sys.argv[1:])
