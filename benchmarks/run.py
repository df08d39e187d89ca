"""`./tidy bench`: accuracy against true cuts, and speed as ratios to floors."""

import argparse
import json
from pathlib import Path

from benchmarks.accuracy import make_cases, score_case, score_folder, summarise, to_rows
from benchmarks.speed import measure_speed
from tidymargin.demo.almanac import make_almanac


def _print_table(table: list[dict[str, object]]) -> None:
    print("Mean rim, OKLab x 100, over six backdrops; left behind and eaten in ppm")
    print(
        f"{'ground':<22}{'pictures':>9}{'flood':>8}{'soft':>8}{'ours':>8}{'99th':>8}{'limit':>8}"
        f"{'worst':>8}{'x row':>7}{'left':>7}{'eaten':>7}  worst picture"
    )
    for row in table:
        limit = "-" if row["limit"] is None else f"{row['limit']:.3f}"
        print(
            f"{row['row']!s:<22}{row['pictures']:>9}{row['flood']:>8.2f}{row['soft']:>8.2f}{row['ours']:>8.3f}"
            f"{row['ours_99']:>8.2f}{limit:>8}{row['worst']:>8.3f}{row['worst_ratio']:>7.1f}"
            f"{row['left_ppm']:>7.1f}{row['eaten_ppm']:>7.1f}  {row['worst_name']}"
        )


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(prog="tidy bench", description=main.__doc__)
    parser.add_argument("--truth", type=Path, help="score the truth folders below this one instead")
    parser.add_argument("--json", action="store_true", help="print JSON, every picture included")
    parser.add_argument("--no-speed", action="store_true", help="leave speed out")
    options = parser.parse_args()
    if options.truth is not None:
        results = list(score_folder(options.truth))
        if not results:
            parser.error(f"there is no case.json below {options.truth}")
    else:
        results = [score_case(*case) for case in make_cases()]
        results += [score_case(f"demo: {case.name}", case, None) for case in make_almanac()]
    speed = [] if options.truth is not None or options.no_speed else measure_speed()
    table = summarise(results)
    if options.json:
        print(json.dumps({"rows": table, "pictures": to_rows(results), "speed": speed}, indent=1))
        return
    _print_table(table)
    for row in speed:
        print(f"\n{row['sheet']}, {row['megapixels']:.1f} megapixels; ratios to floors of this run")
        for name, value in row.items():
            if name not in ("sheet", "megapixels"):
                print(f"  {name}: {value:.2f} x")


if __name__ == "__main__":
    main()
