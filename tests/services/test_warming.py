"""Every kernel is compiled before somebody's click needs it."""

import os
import pickle
import subprocess
import sys
from pathlib import Path

import numpy as np

import tidymargin
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan

ASK = """
import importlib, pkgutil, types
import numpy as np
import tidymargin
from numba.core.dispatcher import Dispatcher
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.place import describe_place
from tidymargin.services.picture.warming import warm_kernels

def note(code):
    called.update(code.co_names)
    for part in code.co_consts:
        if isinstance(part, types.CodeType):
            note(part)

def use_larger():
    random = np.random.default_rng(5)
    for colour, spread in (((255, 255, 255), 0), ((60, 155, 80), 4), ((240, 236, 225), 3)):
        rgb = colour + spread * random.standard_normal((700, 900, 3))
        rgb[200:500, 250:600] = (220, 190, 150)
        rgb[200:500, 300:600:40] = (90, 120, 110)
        picture = Picture(np.clip(rgb, 0, 255).astype(np.uint8))
        for nature in ("opaque", "ink"):
            cutter = cut_out(picture, measure_sheet(picture, GroundPlan(nature=nature)))
            cutter.render_whole()
            for place in (0, 180, 420):
                cutter.render(Region(place, place, place + 256, place + 256))
            describe_place(cutter, 300, 300)

warm_kernels()
kernels, called = {}, set()
for found in pkgutil.walk_packages(tidymargin.__path__, "tidymargin."):
    module = importlib.import_module(found.name)
    for name, value in vars(module).items():
        if isinstance(value, Dispatcher):
            kernels[f"{value.py_func.__module__}.{name}"] = value
        for part in vars(value).values() if isinstance(value, type) else [value]:
            if isinstance(part, types.FunctionType):
                note(part.__code__)
for name, kernel in kernels.items():
    is_entered = name.split(".")[-1] in called  # others are part of those that call them
    if is_entered and not kernel.signatures and not name.startswith("tidymargin.demo."):
        print(name)
forms = {name: len(kernel.signatures) for name, kernel in kernels.items()}
use_larger()
for name, kernel in kernels.items():
    if forms[name] and len(kernel.signatures) > forms[name]:
        print(name, "for arrays of another layout")
print(len(kernels), "kernels")
"""


def test_no_kernel_that_a_click_may_enter_is_left_to_be_compiled():
    env = {**os.environ, "PYTHONPATH": str(Path(tidymargin.__file__).parents[1])}
    done = subprocess.run(
        [sys.executable, "-c", ASK], capture_output=True, text=True, check=True, env=env
    )
    *left, count = done.stdout.splitlines()
    assert left == []
    assert int(count.split()[0]) > 40


def test_kernels_are_named_by_all_code_however_deep(tmp_path):
    deep = tmp_path / "core" / "rim" / "solve.py"
    deep.parent.mkdir(parents=True)
    deep.write_text("from numba import njit\n")
    (tmp_path / "core" / "plain.py").write_text("ONE = 1\n")
    before = tidymargin.name_kernels(tmp_path)
    (tmp_path / "core" / "plain.py").write_text("ONE = 2\n")
    assert tidymargin.name_kernels(tmp_path) == before
    deep.write_text("from numba import njit, prange\n")
    assert tidymargin.name_kernels(tmp_path) != before


def test_what_a_first_cut_is_compiled_from_is_measured_alike_by_plain_python():
    command = [sys.executable, "-m", "tidymargin.services.picture.warming", "facts"]
    source = str(Path(tidymargin.__file__).parents[1])
    env = {**os.environ, "NUMBA_DISABLE_JIT": "1", "PYTHONPATH": source}
    told = subprocess.run(command, env=env, stdout=subprocess.PIPE, check=True).stdout
    picture, facts = pickle.loads(told)
    again = measure_sheet(picture, GroundPlan(nature="opaque"))
    np.testing.assert_array_equal(facts.difference.steps, again.difference.steps)
    assert (facts.ground.hex, facts.nature) == (again.ground.hex, again.nature)
    assert facts.calm.tolerance == again.calm.tolerance
    np.testing.assert_array_equal(
        cut_out(picture, facts).render_whole(), cut_out(picture, again).render_whole()
    )
