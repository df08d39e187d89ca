"""The house: imports go one way, and no file or function grows too long to be read at once."""

import ast
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "tidymargin"
FILES = sorted(SOURCE.rglob("*.py"))

MOST_LINES, MOST_LINES_OF_A_FUNCTION = 400, 90

FLOORS = [
    ("core.base",),
    ("core.ground",),
    (
        "core.figure",
        "core.marks",
        "core.screen",
        "core.suggest",
        "core.tint",
        "core.output",
        "core.outlines",
        "core.scenes",
    ),
    ("core.reach", "core.rim"),
    ("core",),
    ("core.faults", "core.questions"),
    ("process", "outcomes"),
    ("formats",),
    ("store", "services.picture", "demo"),
    ("services.workshop",),
    ("services.views",),
    ("services.edits",),
    ("services.trays",),
    ("services.folder",),
    ("services.scenes",),
    ("web",),
    ("cli",),
]
"""From the ground up; what stands on a floor may use what stands below it, and nothing beside it."""

IN_ROOMS = ("core", "services")
"""Packages whose own packages stand on floors."""

FLOOR_OF = {name: floor for floor, names in enumerate(FLOORS) for name in names}


def home_of(parts):
    """Return the package of a module, given by its names below `tidymargin`."""
    return ".".join(parts[:2]) if parts[0] in IN_ROOMS and len(parts) > 2 else parts[0]


def is_package(name):
    """Whether a name of the project is that of a folder, from which modules are imported."""
    return (
        name and name.startswith("tidymargin.") and SOURCE.joinpath(*name.split(".")[1:]).is_dir()
    )


def list_imports(path):
    """Return the packages of the project that a file imports from, and each imported module's names."""
    found = []
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and is_package(node.module):
            found += [f"{node.module}.{name.name}" for name in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.append(node.module)
        elif isinstance(node, ast.Import):
            found += [name.name for name in node.names]
    return [name.split(".")[1:] for name in found if name.startswith("tidymargin.")]


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(SOURCE)))
def test_no_import_runs_back_up_or_across(path):
    parts = path.relative_to(SOURCE).with_suffix("").parts
    if len(parts) == 1 and parts[0] not in FLOOR_OF:  # the package's own __init__
        return
    home = home_of(parts)
    for used in list_imports(path):
        there = home_of(used)
        assert there == home or FLOOR_OF[there] < FLOOR_OF[home], f"{path} uses {'.'.join(used)}"


def test_everything_stands_on_a_floor():
    homes = {home_of(path.relative_to(SOURCE).with_suffix("").parts) for path in FILES}
    assert homes - {"__init__", "services"} == set(FLOOR_OF)


def test_keying_one_picture_needs_no_data_folder():
    used = {
        there[0]
        for path in (SOURCE / "services" / "picture").glob("*.py")
        for there in list_imports(path)
    }
    assert used >= {"core", "formats"}
    assert "store" not in used


def test_no_file_is_long_and_no_function_but_kernels_which_say_why():
    long = []
    for path in FILES:
        text = path.read_text()
        if len(text.splitlines()) > MOST_LINES:
            long.append(str(path))
        for node in ast.walk(ast.parse(text)):
            if not isinstance(node, ast.FunctionDef):
                continue
            count = (node.end_lineno or 0) - node.lineno + 1
            is_kernel = any("njit" in ast.unparse(mark) for mark in node.decorator_list)
            says_why = "One kernel:" in (ast.get_docstring(node) or "")
            if count > MOST_LINES_OF_A_FUNCTION and not (is_kernel and says_why):
                long.append(f"{path}:{node.name}")
    assert not long
    other = [p for p in SOURCE.rglob("*.[chj][tsm]*") if p.suffix in {".js", ".css", ".html"}]
    own = [p for p in other if "vendor" not in p.parts and "css" not in p.parts]
    assert [p for p in own if len(p.read_text().splitlines()) > MOST_LINES] == []


def test_the_map_leads_to_files_that_are_there():
    text = (ROOT / "CONTRIBUTING.md").read_text()
    table = text.split("## The map")[1].split("## ")[0]
    rows = [line for line in table.splitlines() if re.match(r"\| \d ", line)]
    assert [row.split("|")[1].split()[0] for row in rows] == list("1234567")
    named = re.findall(r"`([\w./]+\.\w+)`", text)
    assert len(named) > 50
    missing = [
        name
        for name in named
        if not any((base / name).exists() for base in (ROOT, SOURCE, SOURCE / "web"))
    ]
    assert missing == []
