"""Compiling every kernel before somebody's click needs it."""

import os
import pickle
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.average import Grid, average_down
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import Cutter, cut_out
from tidymargin.core.draft import sample_levels, shift_view
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.guards import Guard
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.marks.plan import Like, Mark, MarksPlan, Rings, Stroke
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.core.place import describe_place
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.narrows import find_narrows
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.scenes.lifting import lift_cuts
from tidymargin.core.scenes.placing import Place
from tidymargin.core.scenes.sources import Source
from tidymargin.core.scenes.standing import Base, Piece, Scene
from tidymargin.core.suggest.strays import find_unwanted
from tidymargin.core.tint.plan import Backing, Recolour, TintPlan
from tidymargin.formats.encode import encode_png
from tidymargin.process import end_with_parent, give_memory_back

_KERNELS_KEPT_S = 30 * 24 * 3600
_ALL_COMPILED = "all-compiled"
_NICENESS = 15
_SIDE_PX = 320  # parts with their surroundings are not as wide: they have kernels of their own
_TINY_PX = 160  # as small as holds what is drawn: plain Python goes over every pixel of it
_BLOCK = slice(40, 120)
_MODULE = "tidymargin.services.picture.warming"


def drop_old_kernels(own: Path) -> None:
    """Delete compiled kernels of other versions that nobody has used for a month.

    Parameters
    ----------
    own : Path
        The folder of this version's kernels; nothing is deleted unless it is named as one.
    """
    if not own.name.startswith("kernels-") or not own.is_dir():
        return
    os.utime(own)
    for folder in own.parent.glob("kernels-*"):
        if time.time() - folder.stat().st_mtime > _KERNELS_KEPT_S:
            shutil.rmtree(folder, ignore_errors=True)


def _make_pictures(side_px: int = _SIDE_PX) -> Iterator[Picture]:
    """Yield a block with a hole, and dots, on each kind of ground, pale barbs that a screen shines on, and grey ones."""
    random = np.random.default_rng(0)
    side = np.arange(side_px)
    squares = (side[:, None] // 9 + side // 9) % 2
    grounds = [(np.full((side_px, side_px, 3), 255.0), 0), ((200.0 + 55 * squares)[..., None], 0)]
    grounds += [(np.array(rgb, np.float64), 3) for rgb in ((60, 155, 80), (240, 236, 225))]
    for ground, spread in grounds:
        rgb = np.broadcast_to(ground, (side_px, side_px, 3)).copy()
        hole = rgb[70:90, 70:90] + np.array((-1, -1, 0))
        rgb[_BLOCK, _BLOCK] = (20, 40, 60)
        rgb[_BLOCK, 104:120] = (
            190,
            70,
            40,
        )  # of one colour it would close in nothing that is asked
        for row in range(16, 144, 16):
            rgb[row : row + 6, 12:18] = (20, 40, 60)
        rgb[70:90, 70:90] = hole
        rgb += spread * random.standard_normal(rgb.shape)
        yield Picture(np.clip(rgb, 0, 255).astype(np.uint8))
    screen, pale = (np.array(colour, np.float64) for colour in ((40, 90, 170), (235, 230, 215)))
    lit, barred = (np.broadcast_to(screen, (side_px, side_px, 3)).copy() for _ in range(2))
    deep = np.minimum(np.minimum(side - 20, 139 - side)[:, None], np.minimum(side - 20, 139 - side))
    cast = (0.3 * np.exp(-deep / 8))[..., None]
    lit[deep >= 0] = ((1 - cast) * pale + cast * screen)[deep >= 0]
    lit[40:100, 50:110:9] = 0.5 * lit[40:100, 50:110:9] + 0.5 * screen
    for col in range(20, 140, 12):
        barred[20:140, col : col + 5] = pale
        barred[20:140, col + 5 : col + 9] = (150, 146, 138)
    for rgb in (lit, barred):
        rgb += random.standard_normal(rgb.shape)
        coded = cv2.imencode(".jpg", np.clip(rgb, 0, 255).astype(np.uint8)[..., ::-1])[1]
        decoded = np.asarray(cv2.imdecode(coded, cv2.IMREAD_COLOR), np.uint8)
        yield Picture(np.ascontiguousarray(decoded[..., ::-1]))


def _use(cutter: Cutter) -> None:
    """Look at a cut, zoomed out and while a control is moved, and export it."""
    everywhere = whole(cutter.picture.height, cutter.picture.width)
    rgba = cutter.render_whole()
    for place in (0, 40, 110, 150):
        cutter.render(Region(place, place, place + 20, place + 20))
    describe_place(cutter, 75, 75)
    find_unwanted(cutter.cleared(everywhere))
    find_narrows(cutter.cleared(everywhere))
    average_down(rgba, Grid(0, 0, 2, 40, 40))
    samples = sample_levels(cutter.reach.levels, (0.0, 0.0, 1.0), rgba.shape[:2])
    shift_view(rgba, rgba, samples, (1, 2))
    encode_png(rgba)


def _arrange(cut: NDArray[np.uint8]) -> None:
    """Lay a cut on a base in every way that has kernels of its own."""
    source = Source(cut)
    places = (Place(), Place(3, 4, 0.6), Place(0.5, 0, 1.2), Place(5, 5, 0.8, 20.0))
    pieces = [Piece(str(number), source, place, inside=0) for number, place in enumerate(places)]
    pieces[0] = Piece("0", source, places[0])
    scene = Scene(Base(200, 200, (9, 9, 9), source), pieces)
    for cell in (1.0, 2.0):
        scene.draw(0, 0, cell, 90, 90)
    lift_cuts(scene, {1}, 0, 0, 1, 90, 90)
    scene.find_at(50, 50, 1)


def warm_kernels() -> None:
    """Compile or load every kernel on tiny pictures, so that nobody's first click waits for it.

    What a first sheet is measured and cut by comes before what is needed once somebody decides something.
    """
    decided = ReachPlan(
        picks=(Pick(60, 60, is_figure=True), Pick(80, 80, tolerance=2.0)),
        guards=(Guard((20, 40, 60), 2.0),),
        fences=(((5, 5), (20, 30)),),
        crumb_px=4,
        pinhole_px=4,
    )
    rim = RimPlan(choke_px=-0.5, smooth_px=1.0, feather_px=1.0, fringe=0.5)
    tint = TintPlan(
        depth=0.5,
        recolour=Recolour((20, 30, 40), (200, 30, 40)),
        shadow=0.5,
        backing=Backing((255, 255, 255), 4.0),
    )
    line = np.array([(30.0, 40.0, 9.0), (90.0, 40.0, 9.0)])
    marks = MarksPlan(
        (
            Mark("rubbed", "clear", Stroke(line), like=Like("middle", 5.0)),
            Mark("stroked", "clear", Stroke(line + np.array((0, 80, 0)), 0.5)),
            Mark("solved", "solve", Stroke(line + np.array((0, 40, 0)))),
            Mark("ringed", "keep", Rings((np.array([(20.0, 20.0), (60.0, 20.0), (40.0, 50.0)]),))),
        )
    )
    folder = Path(os.environ["NUMBA_CACHE_DIR"])
    is_new = not (folder / _ALL_COMPILED).exists()
    pictures = list(_make_pictures())
    parts = 2 * len(pictures) + 1
    measured = []
    for number, picture in enumerate(pictures):
        _tell(number / parts if is_new else None)
        facts = measure_sheet(picture, GroundPlan(nature="opaque"))
        measured.append(facts)
        cut_out(picture, facts).render_whole()
    for number, (picture, facts) in enumerate(zip(pictures, measured, strict=True), len(pictures)):
        _tell(number / parts if is_new else None)
        _use(cut_out(picture, facts))
        _use(cut_out(picture, facts, Plan(reach=decided, marks=marks, rim=rim, tint=tint)))
    choked = Plan(rim=RimPlan(choke_px=0.5))
    cut_out(pictures[0], measured[0], choked).render_whole()
    _use(cut_out(pictures[0], measure_sheet(pictures[0], GroundPlan(nature="ink"))))
    traced = cut_out(pictures[0], measured[0]).render_whole()
    for as_strokes in (False, True):
        trace_cut(traced, OutlinePlan(as_strokes=as_strokes))
    _arrange(traced)
    _tell(None)
    give_memory_back()  # compiling leaves some fifty megabytes behind
    (folder / _ALL_COMPILED).touch()
    drop_old_kernels(folder)


def warm_behind() -> None:
    """Have every kernel compiled where that is still to be done, by processes that give way to all else; load the first.

    Compiling takes minutes of one core, and in this process would hold up whoever waits for a page. Who brings in a
    picture at once has this process compile what measures it; so what cuts, shows and writes it is compiled
    beside that, before all else.
    """
    if not (Path(os.environ["NUMBA_CACHE_DIR"]) / _ALL_COMPILED).exists():
        for what in ("cuts", "all"):
            command = [sys.executable, "-m", _MODULE, what, str(os.getpid())]
            with subprocess.Popen(
                command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
            ) as running:
                assert running.stdout is not None
                for line in running.stdout:
                    _tell(float(line))
    _load_first()


def _warm_cuts() -> None:
    """Compile what a first sheet is cut, shown and written by; its facts are measured by plain Python, on a tiny picture."""
    _tell(0.0)
    command = [sys.executable, "-m", _MODULE, "facts"]
    env = {**os.environ, "NUMBA_DISABLE_JIT": "1"}
    told = subprocess.run(command, env=env, stdout=subprocess.PIPE, check=True).stdout
    picture, facts = pickle.loads(told)
    _use(cut_out(picture, facts))


def _tell_facts() -> None:
    picture = next(_make_pictures(_TINY_PX))
    facts = measure_sheet(picture, GroundPlan(nature="opaque"))
    sys.stdout.buffer.write(pickle.dumps((picture, facts)))


def _load_first() -> None:
    """Load what a first sheet is measured and cut by; all else is loaded when it is needed, which is quick."""
    picture = next(_make_pictures())
    cut_out(picture, measure_sheet(picture, GroundPlan(nature="opaque"))).render_whole()


_share: float | None = None


def _tell(share: float | None) -> None:
    global _share
    _share = share
    if share is not None and _tells_parent:
        sys.stdout.write(f"{share}\n")
        sys.stdout.flush()


_tells_parent = False


def compiled_share() -> float | None:
    """Return how many of the kernels are compiled, 0 to 1, while this is done for the first time; else None."""
    return _share


if __name__ == "__main__":
    asked = sys.argv[1] if len(sys.argv) > 1 else ""
    if asked == "facts":
        _tell_facts()
    else:
        if asked:
            end_with_parent(int(sys.argv[2]))
            if hasattr(os, "nice"):
                os.nice(_NICENESS)
            _tells_parent = True
        _warm_cuts() if asked == "cuts" else warm_kernels()
