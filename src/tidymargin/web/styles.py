"""Building the shipped CSS from `styles/app.css`; needs Node, unlike everything else."""

import argparse
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

_HERE = Path(__file__).parent
_ROOT = _HERE.parents[2]
_SOURCE = _HERE / "styles" / "app.css"
_SHIPPED = _HERE / "static" / "css" / "app.css"
_NODE = _ROOT / ".cache" / "node"


def _build(target: Path) -> None:
    if not (_NODE / "node_modules" / "@tailwindcss" / "cli").exists():
        _NODE.mkdir(parents=True, exist_ok=True)
        shutil.copy(_ROOT / "package.json", _NODE)
        subprocess.run(
            ["npm", "install", "--no-package-lock", "--no-audit", "--no-fund", "--silent"],
            cwd=_NODE,
            check=True,
        )
    # the compiler looks for its own package upwards from the source file
    link = _ROOT / "node_modules"
    if not link.exists():
        link.unlink(missing_ok=True)  # left behind by a checkout that stood elsewhere
        link.symlink_to(_NODE / "node_modules")
    tool = link / ".bin" / "tailwindcss"
    command = [str(tool), "--input", str(_SOURCE), "--output", str(target), "--minify"]
    subprocess.run(command, cwd=_HERE, check=True, capture_output=True)


def main() -> int:
    """Rebuild the CSS, or with --check say whether the shipped one is what would be built."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("--check", action="store_true")
    check = parser.parse_args().check
    if shutil.which("npm") is None:
        sys.stderr.write("Node is not here, so the styles were neither built nor checked.\n")
        return 0 if check else 69
    if not check:
        _build(_SHIPPED)
        return 0
    with tempfile.TemporaryDirectory() as folder:
        fresh = Path(folder) / "app.css"
        _build(fresh)
        if fresh.read_bytes() != _SHIPPED.read_bytes():
            sys.stderr.write("The shipped CSS is stale. Run ./tidy css and commit the result.\n")
            return 1
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
