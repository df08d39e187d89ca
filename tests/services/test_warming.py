"""Every kernel is compiled before somebody's click needs it."""

import os
import subprocess
import sys
from pathlib import Path

import tidymargin

ASK = """
import importlib, pkgutil, types
import tidymargin
from numba.core.dispatcher import Dispatcher
from tidymargin.services.warming import warm_kernels

def note(code):
    called.update(code.co_names)
    for part in code.co_consts:
        if isinstance(part, types.CodeType):
            note(part)

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
