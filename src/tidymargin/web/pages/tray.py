"""One tray: its sheets with the doubtful first, what they share, and writing all of it."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, send_file, url_for
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import read_sizes, write_sizes
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.names import to_file_name
from tidymargin.formats.recipe import read_recipe
from tidymargin.services.trays import exports as tray_exports
from tidymargin.services.trays import trays
from tidymargin.services.trays.trays import Card, overview_of
from tidymargin.store.values import Tray, TrayJob
from tidymargin.web.answers import read_number, read_seen
from tidymargin.web.context import send_nothing, the_workshop
from tidymargin.web.pages.trays import BACKDROPS, chosen_backdrop
from tidymargin.web.sentences import tray as sentences
from tidymargin.web.sentences.export import list_formats
from tidymargin.web.words import KINDS, NATURES, gettext

blueprint = Blueprint("tray", __name__)

_LISTED = 5  # exports
_CARD_KEY_BYTES = 150  # of one card in what a page saw, about


def _gather(tray: Tray) -> dict[str, Any]:
    workshop = the_workshop()
    overview = overview_of(workshop, tray)
    shared = read_recipe(tray.recipe)
    exports = [
        tray_exports.stand(workshop, export)
        for export in workshop.trays.list_exports(tray.id, _LISTED)
    ]
    working = any(each.export.state == "working" and not each.is_over for each in exports)
    compares = request.args.get("compare") == "1"
    changed = [card for card in overview.cards if card.sheet.undo in ("tray", "engine")]
    cards = changed if compares else overview.cards
    others = [other for other in workshop.trays.list_all() if other.id != tray.id]
    seen = _Seen(
        frame=repr((tray.head, tray.name, others, compares, chosen_backdrop())),
        cards={card.sheet.id: _digest_card(card) for card in cards},
        rest=_digest(
            overview.behind,
            overview.renewing,
            len(overview.cards),
            len(changed),
            [
                (
                    each.export.id,
                    each.export.state,
                    *map(_list_numbers, (each.written, each.failed, each.missing)),
                )
                for each in exports
            ],
        ),
    )
    shown = _digest(seen)
    workshop.small.put(f"seen:{shown}", seen, _CARD_KEY_BYTES * (len(cards) + 1))
    return {
        "seen": seen,
        "shown": shown,
        "tray": tray,
        "overview": overview,
        "cards": cards,
        "changed": len(changed),
        "compares": compares,
        "shared": shared,
        "sizes": write_sizes(shared.export.sizes),
        "formats": list_formats(shared.export),
        "exports": exports,
        "others": others,
        "is_busy": bool(overview.behind or overview.unknown or overview.renewing or working),
        "on": chosen_backdrop(),
        "most_bytes": MAX_FILE_BYTES,
        "said": sentences,
        "kinds": KINDS,
        "natures": NATURES,
    }


@blueprint.get("/trays/<int:tray_id>/")
def show(tray_id: int) -> str:
    """Show a tray."""
    tray = the_workshop().trays.load(tray_id)
    return render_template("trays/tray.html", **_gather(tray), backdrops=BACKDROPS)


@blueprint.get("/trays/<int:tray_id>/now")
def show_now(tray_id: int) -> AnyResponse:
    """Show what became of a tray since a page saw it: nothing, the cards that changed, or all of them."""
    facts = _gather(the_workshop().trays.load(tray_id))
    if request.args.get("seen") == facts["shown"]:
        return send_nothing()
    before = the_workshop().small.get(f"seen:{request.args.get('seen', '')[:40]}")
    goes, comes = _compare(before, facts["seen"], facts["cards"])
    return Response(render_template("trays/_now.html", **facts, goes=goes, comes=comes))


@dataclass(frozen=True, slots=True)
class _Seen:
    """What a page of a tray shows, as digests: what all cards depend on, the cards in their order, and all else."""

    frame: str
    cards: dict[int, str]
    rest: str


def _digest(*values: object) -> str:
    return hashlib.blake2b(repr(values).encode(), digest_size=16).hexdigest()


def _digest_card(card: Card) -> str:
    sheet = card.sheet
    return _digest(sheet.head, sheet.name, sheet.before, card.report, card.failed, card.exceptions)


def _list_numbers(jobs: Sequence[TrayJob]) -> list[int]:
    return [job.id for job in jobs]


def _compare(
    before: _Seen | None, now: _Seen, cards: Sequence[Card]
) -> tuple[list[int], list[tuple[int | None, list[Card]]] | None]:
    """Return which cards go, and which come before which one that stays (None: at the end); or None where all do.

    A card's place follows from what is in it, so those that have not changed stay in their order.
    """
    if before is None or before.frame != now.frame or not (before.cards and now.cards):
        return [], None
    goes = [number for number, digest in before.cards.items() if now.cards.get(number) != digest]
    comes: list[tuple[int | None, list[Card]]] = []
    waiting: list[Card] = []
    for card in cards:
        number = card.sheet.id
        if before.cards.get(number) != now.cards[number]:
            waiting.append(card)
        elif waiting:
            comes.append((number, waiting))
            waiting = []
    return goes, [*comes, (None, waiting)] if waiting else comes


def _go_to(tray_id: int, **more: Any) -> AnyResponse:
    return redirect(url_for("tray.show", tray_id=tray_id, on=chosen_backdrop(), **more), 303)


@blueprint.post("/trays")
def add() -> AnyResponse:
    """Make a tray of a name, with all sheets that are in none, or empty."""
    workshop = the_workshop()
    takes = request.form.get("takes") == "all"
    sheets = [sheet.id for sheet in workshop.trays.list_sheets(None)] if takes else []
    tray = trays.make_tray(workshop, request.form.get("name", ""), sheets)
    return _go_to(tray.id)


@blueprint.post("/trays/<int:tray_id>/name")
def rename(tray_id: int) -> AnyResponse:
    """Give a tray another name."""
    trays.rename_tray(the_workshop(), tray_id, request.form.get("name", ""))
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/take-apart")
def take_apart(tray_id: int) -> AnyResponse:
    """Let a tray be no more; its sheets stay."""
    the_workshop().trays.take_apart(tray_id)
    return redirect(url_for("trays.show_trays"), 303)


@blueprint.post("/sheets/<int:sheet_id>/tray")
def put_in(sheet_id: int) -> AnyResponse:
    """Put a sheet into another tray, or into none."""
    asked = request.form.get("tray", "")
    workshop = the_workshop()
    before = workshop.sheets.load(sheet_id).tray
    workshop.trays.put_in(int(read_number("tray", int)) if asked else None, [sheet_id])
    return redirect(url_for("trays.show_trays"), 303) if before is None else _go_to(before)


@blueprint.post("/trays/<int:tray_id>/share")
def share(tray_id: int) -> AnyResponse:
    """Let all sheets share what one of them has."""
    sheet_id = int(read_number("sheet", int))
    trays.share_of(the_workshop(), tray_id, read_seen(), sheet_id)
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/rules")
def set_rules(tray_id: int) -> AnyResponse:
    """Set ground, figure and tolerance that the sheets share."""
    form = request.form
    tolerance = form.get("tolerance", "").strip()
    workshop, seen = the_workshop(), read_seen()
    values = {"kind": form.get("kind", "auto"), "figure": form.get("figure", "auto")}
    number = read_number("tolerance", float) if tolerance else "auto"
    trays.share_values(
        workshop, tray_id, seen, "rules", {"ground": values, "reach": {"tolerance": number}}
    )
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/finish")
def set_finish(tray_id: int) -> AnyResponse:
    """Set what is done to the sheets' rims, and whether all figures get one colour."""
    form = request.form
    shared = read_recipe(the_workshop().trays.load(tray_id).recipe)
    rim = {
        "choke_px": read_number("choke_px", float),
        "fringe": read_number("fringe", float) / 100,
    }
    now = (
        shared.colour.recolour
    )  # a gradient or anything else that a sheet brought stays while the colour does
    other = None
    if form.get("recolours") == "1":
        code = form.get("colour", "").upper()
        is_same = now is not None and (now.colour or "").upper() == code
        other = now.model_dump() if now is not None and is_same else {"colour": code}
    values: dict[str, dict[str, Any]] = {"rim": rim, "colour": {"recolour": other}}
    trays.share_values(the_workshop(), tray_id, read_seen(), "finish", values)
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/export-as")
def set_export(tray_id: int) -> AnyResponse:
    """Set what files every sheet gives."""
    form = request.form
    formats = form.getlist("format")
    if not formats:
        raise BadParameterError(gettext("No format is chosen: tick at least one."), field="formats")
    values = {
        "formats": formats,
        "sizes": [size.model_dump() for size in read_sizes(form.get("sizes", ""))],
        "trim": form.get("extent") == "trim",
        "margin_px": int(read_number("margin_px", int)),
        "pieces": form.get("pieces") == "1",
    }
    trays.share_values(the_workshop(), tray_id, read_seen(), "export", {"export": values})
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/renew")
def renew(tray_id: int) -> AnyResponse:
    """Cut all by the present engine that an older one cut."""
    trays.renew_all(the_workshop(), tray_id)
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/undo")
def undo(tray_id: int) -> AnyResponse:
    """Let all sheets share again what they shared before."""
    the_workshop().trays.undo(tray_id, read_seen())
    return _go_to(tray_id)


@blueprint.post("/trays/<int:tray_id>/export")
def begin_export(tray_id: int) -> AnyResponse:
    """Have all of a tray written."""
    tray_exports.begin_export(the_workshop(), tray_id)
    return _go_to(tray_id)


@blueprint.post("/exports/<int:export_id>/<any(pause, go_on, stop, retry, forget):what>")
def change_export(export_id: int, what: str) -> AnyResponse:
    """Pause an export, let it go on, stop it, do again what failed, or forget it with its files."""
    workshop = the_workshop()
    export = workshop.trays.load_export(export_id)
    if what == "retry":
        tray_exports.write_again(workshop, export_id)
    elif what == "forget":
        tray_exports.forget_export(workshop, export_id)
    else:
        state = {"pause": "paused", "go_on": "working", "stop": "stopped"}
        workshop.trays.set_export(export_id, state[what])  # type: ignore[arg-type]
    has_tray = any(tray.id == export.tray for tray in workshop.trays.list_all())
    return _go_to(export.tray) if has_tray else redirect(url_for("trays.show_trays"), 303)


@blueprint.get("/exports/<int:export_id>/files.zip")
def fetch(export_id: int) -> AnyResponse:
    """Send all that was written of a tray, with its manifest."""
    workshop = the_workshop()
    export = workshop.trays.load_export(export_id)
    data = tray_exports.write_zip(workshop, export)
    return send_file(data, "application/zip", as_attachment=True, download_name=to_file_name(export.name, "zip"))  # fmt: skip
