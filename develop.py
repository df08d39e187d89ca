"""What its developers run: tests, checks, benchmarks, styles, locks and the wheel. `./tidy` sets up and calls this."""

import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

ROOT = Path(__file__).parent
DEBIAN = {
    "chromium": Path("/usr/bin/chromium"),
    "poppler-utils": Path("/usr/bin/pdftocairo"),
    "redis-server": Path("/usr/bin/redis-server"),
}
LOCKS = {
    "app": ["pyproject.toml"],
    "dev": ["pyproject.toml", "--group", "dev"],
    "uv": ["--group", "pyproject.toml:uv"],
}
_MISSING = 69
_WITHOUT_BROWSER = {
    "--by-hand",
    "--no-speed",
    "--truth",
    "--users",
    "--fuzz",
    "--kills",
    "--hostile",
    "--start",
    "--first-sight",
    "--real",
    "--outlines",
}
_ANSWERS_WITHIN_S = 120.0


def stop(said: str) -> None:
    """Say what is missing, and end."""
    sys.stderr.write(f"tidy: {said}\n")
    raise SystemExit(_MISSING)


def run(*command: str, **options: object) -> None:
    """Run a command, and end as it does where it fails."""
    done = subprocess.run(command, cwd=ROOT, check=False, **options)  # type: ignore[call-overload]
    if done.returncode:
        raise SystemExit(done.returncode)


def run_module(module: str, *arguments: str) -> None:
    """Run a module of this environment with the project's own code before it."""
    paths = [str(ROOT), str(ROOT / "src"), os.environ.get("PYTHONPATH", "")]
    env = {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, paths))}
    env.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the app; tests import numpy before it
    run(sys.executable, "-m", module, *arguments, env=env)


def need_debian() -> None:
    """See to it that Debian's chromium, poppler and redis are there, which only root can install."""
    missing = [name for name, place in DEBIAN.items() if not place.exists()]
    if not missing:
        return
    if hasattr(os, "geteuid") and os.geteuid() == 0 and shutil.which("apt-get"):
        sys.stderr.write(
            f"Installing Debian's {', '.join(missing)} for the tests: this happens once.\n"
        )
        for command in (["update", "-qq"], ["install", "-y", "-qq", *missing]):
            subprocess.run(["apt-get", *command], check=False, capture_output=True)
        if all(place.exists() for place in DEBIAN.values()):
            return
    stop(
        f"The tests need Debian's {', '.join(missing)}, which only root can install. Run: sudo apt-get install -y {' '.join(missing)}"
    )


def test(arguments: list[str]) -> None:
    """Run every test, or those that are named."""
    need_debian()
    # once, not by every worker for itself
    run_module("tidymargin.services.picture.warming")
    run_module(
        "pytest",
        *(
            arguments
            or [
                "--durations=20",
                "-n",
                "2",
                "--dist",
                "loadfile",
                "--no-loadscope-reorder",
                "tests",
            ]
        ),
    )


def check(_: list[str]) -> None:
    """Look at formatting, lint, types, dead code, freshness of built files, and that the locks hold what is asked for."""
    run_module("ruff", "format", "--check", ".")
    run_module("ruff", "check", ".")
    run_module("mypy", "src", "benchmarks", "develop.py", "catalogue.py")
    run_module("vulture")
    run_module("tidymargin.web.styles", "--check")
    run(sys.executable, "catalogue.py", "--check")


def bench(arguments: list[str]) -> None:
    """Measure rims, speed and memory."""
    if "--windows" in arguments or not _WITHOUT_BROWSER & set(arguments):
        need_debian()
    run_module("benchmarks.run", *arguments)


def css(_: list[str]) -> None:
    """Rebuild the styles; needs Node."""
    run_module("tidymargin.web.styles")


def reference(_: list[str]) -> None:
    """Rewrite the references of commands and keys from what these are."""
    for name, home, call in (
        ("command-line.md", "tidymargin.cli.reference", "write_reference"),
        ("keys.md", "tidymargin.web.sentences.keys", "write_keys"),
        ("guide.md", "tidymargin.web.sentences.guide", "write_guide"),
    ):
        code = f"import sys; from {home} import {call}; sys.stdout.write({call}())"
        made = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        (ROOT / "docs" / name).write_text(made.stdout)


def words(_: list[str]) -> None:
    """Print every text that people read, with where it stands; controls' accessible names included."""
    run(sys.executable, "catalogue.py", "--list")


def languages(_: list[str]) -> None:
    """Bring the catalogues of other languages in step with the texts, and compile them."""
    run(sys.executable, "catalogue.py")


def lock(_: list[str]) -> None:
    """Rewrite the locks from what `pyproject.toml` asks for."""
    for name, asked in LOCKS.items():
        run(
            sys.executable, "-m", "uv", "pip", "compile", "-q", "--upgrade", "--generate-hashes",
            "--no-emit-index-url", "--universal", "--python-version", "3.11",
            "--custom-compile-command", "./tidy lock", *asked, "-o", f"requirements/{name}.lock",
        )  # fmt: skip


def _free_port() -> int:
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        return int(listener.getsockname()[1])


def wheel(_: list[str]) -> None:
    """Build the wheel, install it where nothing else is, and see that it keys a picture and serves the demo."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        run(sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(folder / "built"))
        (built,) = (folder / "built").glob("*.whl")
        run(sys.executable, "-m", "venv", str(folder / "empty"))
        binaries = folder / "empty" / ("Scripts" if os.name == "nt" else "bin")
        run(
            sys.executable, "-m", "uv", "pip", "install", "-q", "--system-certs", "--python",
            str(binaries / "python"), "-c", str(ROOT / "requirements" / "app.lock"), str(built),
        )  # fmt: skip
        env = {k: v for k, v in os.environ.items() if k not in ("PYTHONPATH", "VIRTUAL_ENV")}
        env |= {"TIDYMARGIN_DATA": str(folder / "data"), "PATH": os.environ.get("PATH", "")}
        program = str(binaries / "tidymargin")
        port = _free_port()
        began = time.monotonic()
        with subprocess.Popen(
            [program, "demo", "--port", str(port)], cwd=folder, env=env
        ) as server:
            try:
                _wait_for(f"http://127.0.0.1:{port}/", "Tidy Margin", began, "first page")
                # which is drawn among the last
                _wait_for(f"http://127.0.0.1:{port}/", "buoy-sticker", began, "demo")
            finally:
                server.terminate()
        sheet = next((folder / "data" / "almanac").glob("*/picture.png"))
        cut = folder / "cut.png"
        subprocess.run(
            [program, "key", str(sheet), "-o", str(cut)], cwd=folder, env=env, check=True
        )
        if not cut.read_bytes().startswith(b"\x89PNG"):
            stop("the installed wheel made no PNG")
        sys.stdout.write(
            f"The wheel ({built.stat().st_size // 1024} kB) serves the demo and keys a picture.\n"
        )


def _wait_for(address: str, words: str, began: float, what: str) -> None:
    """Wait until a page answers with some words, and say how long that took."""
    while time.monotonic() - began < _ANSWERS_WITHIN_S:
        try:
            with urllib.request.urlopen(address, timeout=10) as answer:
                if words in answer.read().decode():
                    took_s = time.monotonic() - began
                    sys.stdout.write(f"The {what} stood after {took_s:.0f} s.\n")
                    return
        except OSError:
            pass
        time.sleep(0.2)
    stop("the installed wheel did not serve its first page in time")


COMMANDS = {"test": test, "check": check, "bench": bench, "css": css, "reference": reference, "words": words, "languages": languages, "lock": lock, "wheel": wheel}  # fmt: skip

if __name__ == "__main__":
    COMMANDS[sys.argv[1]](sys.argv[2:])
