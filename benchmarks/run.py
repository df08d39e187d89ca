"""`./tidy bench`: accuracy against true cuts, and speed as ratios to floors."""

import argparse
import json
from dataclasses import asdict
from pathlib import Path

from benchmarks import (
    elsewhere,
    faults,
    fuzz,
    hostile,
    kills,
    outlines,
    scenes,
    stages,
    start,
    tray_kills,
    users,
    variations,
)
from benchmarks.accuracy import (
    Result,
    find_worst,
    make_cases,
    score_case,
    score_folder,
    summarise,
    to_rows,
)
from benchmarks.busy import report_busy
from benchmarks.by_hand import report_hair, report_rubbing
from benchmarks.contact import write_contact
from benchmarks.detection import Told, tell_all
from benchmarks.score import digest_all
from benchmarks.speed import MEGAPIXELS, measure_speed
from benchmarks.strokes import report_strokes
from tidymargin.demo.almanac import make_almanac


def _print_table(table: list[dict[str, object]]) -> None:
    print("Mean rim, OKLab x 100, over six backdrops; left behind and eaten in ppm")
    print(
        f"{'ground':<32}{'pictures':>9}{'flood':>8}{'soft':>8}{'ours':>8}{'99th':>8}{'limit':>8}"
        f"{'worst':>8}{'x row':>7}{'left':>7}{'eaten':>7}  worst picture"
    )
    for row in table:
        limit = "-" if row["limit"] is None else f"{row['limit']:.3f}"
        print(
            f"{row['row']!s:<32}{row['pictures']:>9}{row['flood']:>8.2f}{row['soft']:>8.2f}{row['ours']:>8.3f}"
            f"{row['ours_99']:>8.2f}{limit:>8}{row['worst']:>8.3f}{row['worst_ratio']:>7.1f}"
            f"{row['left_ppm']:>7.1f}{row['eaten_ppm']:>7.1f}  {row['worst_name']}"
        )


def _print_told(told: list[Told]) -> None:
    right = sum(t.is_right for t in told)
    print(
        f"\nGround and nature told rightly in {right} of {len(told)} pictures ({100 * right / len(told):.1f} %)"
    )
    for name in dict.fromkeys(t.condition for t in told):
        of_name = [t for t in told if t.condition == name]
        sizes = f"{min(t.size for t in of_name)} to {max(t.size for t in of_name)} px"
        print(f"  {name:<42}{sum(t.is_right for t in of_name):>3} of {len(of_name):<3} {sizes}")
    for t in told:
        if not t.is_right:
            print(
                f"  wrong: {t.condition}, {t.name} at {t.size} px: {' '.join(t.found)}, not {' '.join(t.expected)}"
            )


def _print_digests(results: list[Result]) -> None:
    """Print what two engines share that cut every picture alike, byte by byte: all of them, and the demo's."""
    demo = [r for r in results if r.row.startswith("demo: ")]
    for name, some in (("", results), ("demo ", demo)):
        if some:
            print(f"digest of the {len(some)} {name}cuts: {digest_all(r.digest for r in some)}")


def _print_worst(results: list[Result], contact: Path) -> None:
    worst = find_worst(results)
    print("\nThe worst ten, by how far beyond the limit")
    for r in worst:
        limit = r.limit.rim if r.limit else 0.0
        print(
            f"  {r.row:<32}{r.name:<16} rim {r.ours.rim:.2f}, limit {limit:.2f}, tolerance {r.tolerance:.1f}"
        )
    write_contact(contact, [(f"{r.row}, {r.name}: {r.ours.rim:.2f}", r.crop) for r in worst])
    print(f"  their worst places, picture, true cut and ours: {contact}")


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(prog="tidy bench", description=main.__doc__)
    parser.add_argument("--truth", type=Path, help="score the truth folders below this one instead")
    parser.add_argument(
        "--first-sight",
        type=Path,
        metavar="FOLDER",
        help="only say what of the truth folders below is recognised and usable",
    )
    parser.add_argument(
        "--outlines",
        action="store_true",
        help="only lay traced outlines over the icons that they were traced from, and over the pictures of --truth",
    )
    parser.add_argument(
        "--real", type=Path, metavar="FOLDER", help="only score photos and scans by their points"
    )
    parser.add_argument("--json", action="store_true", help="print JSON, every picture included")
    parser.add_argument("--no-speed", action="store_true", help="leave speed out")
    parser.add_argument("--no-detection", action="store_true", help="leave detection out")
    parser.add_argument("--no-accuracy", action="store_true", help="leave accuracy out")
    parser.add_argument(
        "--megapixels",
        type=int,
        nargs="+",
        default=list(MEGAPIXELS),
        help="sizes that speed and memory are measured at",
    )
    parser.add_argument(
        "--contact",
        type=Path,
        default=Path("bench-worst.png"),
        help="where the worst ten are shown",
    )
    parser.add_argument(
        "--windows", action="store_true", help="with --users: each in a browser of their own"
    )
    parser.add_argument(
        "--users", type=float, metavar="SECONDS", help="only let eight users work for so long"
    )
    parser.add_argument(
        "--fuzz", type=int, metavar="COUNT", help="only decode so many spoilt files"
    )
    parser.add_argument(
        "--kills",
        type=int,
        metavar="ROUNDS",
        help="only end and damage a working server so many times",
    )
    parser.add_argument(
        "--hostile",
        type=int,
        metavar="COUNT",
        help="only send so many spoilt messages to a worker, twice as many bodies to a server, and add as many small sheets",
    )
    parser.add_argument(
        "--variations",
        type=int,
        metavar="COUNT",
        help="only report on and cut so many variations of the pictures below --first-sight and --real",
    )
    parser.add_argument(
        "--by-hand",
        type=Path,
        metavar="FOLDER",
        help="only make marks by a rule, with truth and real below this folder",
    )
    parser.add_argument(
        "--faults",
        type=Path,
        metavar="FOLDER",
        help="only plant faults in cuts, drawn and of this folder",
    )
    parser.add_argument(
        "--start", action="store_true", help="only measure how long commands and newcomers wait"
    )
    parser.add_argument(
        "--scenes",
        action="store_true",
        help="only drag and export a scene of 40 cuts on 35 megapixels",
    )
    parser.add_argument(
        "--stages",
        type=int,
        metavar="MEGAPIXELS",
        help="only say what each stage of a cut takes, on pictures of that size",
    )
    options = parser.parse_args()
    if options.start:
        start.main()
        return
    if options.outlines:
        outlines.print_outlines(outlines.ROOT / "node_modules", options.truth, outlines.COUNT)
        return
    if options.scenes:
        scenes.report_scenes()
        return
    if options.stages is not None:
        stages.report_stages(options.stages)
        return
    if options.faults is not None:
        faults.report_faults(None, shows=True)
        faults.report_faults(None, of_families=True, shows=True)
        faults.report_faults(options.faults, shows=True)
        return
    if options.by_hand is not None:
        report_busy(options.by_hand)
        report_rubbing(options.by_hand / "truth")
        report_hair()
        report_strokes()
        return
    if options.variations is not None:
        folders = [f for f in (options.first_sight, options.real) if f is not None]
        if not folders:
            parser.error("say with --first-sight or --real which pictures are varied")
        raise SystemExit(0 if variations.main(options.variations, folders) else 1)
    if options.fuzz is not None or options.kills is not None:
        all_well = fuzz.main(options.fuzz) if options.fuzz is not None else True
        if options.kills is not None:
            all_well = kills.main(options.kills) and all_well
            all_well = tray_kills.main(options.kills) and all_well
        raise SystemExit(0 if all_well else 1)
    if options.first_sight is not None or options.real is not None:
        if options.first_sight is not None:
            elsewhere.print_truth(options.first_sight)
        if options.real is not None:
            elsewhere.print_points(options.real)
        return
    if options.hostile is not None:
        all_well = hostile.main(options.hostile)
        raise SystemExit(0 if hostile.many(2 * options.hostile) and all_well else 1)
    if options.users is not None:
        users.main(options.users, in_windows=options.windows)
        return
    if options.truth is not None:
        results = list(score_folder(options.truth))
        if not results:
            parser.error(f"there is no case.json below {options.truth}")
    elif options.no_accuracy:
        results = []
    else:
        results = [score_case(*case) for case in make_cases()]
        results += [score_case(f"demo: {case.name}", case, None) for case in make_almanac()]
    is_speed_asked = options.truth is None and not options.no_speed
    is_detection_asked = options.truth is None and not options.no_detection
    speed = measure_speed(tuple(options.megapixels)) if is_speed_asked else iter(())
    told = tell_all() if is_detection_asked else iter(())
    table = summarise(results)
    if options.json:
        print(
            json.dumps(
                {
                    "rows": table,
                    "pictures": to_rows(results),
                    "detection": [asdict(t) for t in told],
                    "speed": list(speed),
                },
                indent=1,
            )
        )
        return
    if results:
        _print_table(table)
        _print_digests(results)
    if results and options.truth is None:
        _print_worst(results, options.contact)
    if is_detection_asked:
        _print_told(list(told))
    if is_speed_asked:
        print("\nSpeed and memory; up to 40 megapixels each ratio is the median of three rounds")
    for row in speed:  # each as it is measured: the whole takes long
        print(f"\n{row['sheet']}, {row['megapixels']} megapixels; ratios to floors of this run")
        for name, value in row.items():
            if name not in ("sheet", "megapixels"):
                print(f"  {name}: {value:.2f}", flush=True)


if __name__ == "__main__":
    main()
