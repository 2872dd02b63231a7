"""The command line: run a sheet on a folder, start and stop the application."""

import argparse
import json
import os
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import get_args

from yardchalk.core.errors import YardError
from yardchalk.core.listing import FileKind
from yardchalk.core.settings import ListingSpec, RunSheet, load_marks, load_sheet, load_spec, parse, shipped

PASSED, FAILED, USAGE, TO_FIX = 0, 1, 2, 3


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./yard", description="Product photos onto pure white or transparency, measured and checked.")
    commands = parser.add_subparsers(dest="command", required=True)
    run = commands.add_parser("run", help="run a sheet on photos, without server or database")
    run.add_argument("photos", nargs="+", metavar="PHOTO_OR_FOLDER")
    run.add_argument("--sheet", required=True, metavar="NAME|FILE.json", help=f"run sheet: {', '.join(shipped('sheets'))}, or a file")
    run.add_argument("--spec", required=True, metavar="NAME|FILE.json", help=f"listing spec: {', '.join(shipped('specs'))}, or a file")
    run.add_argument("--out", required=True, metavar="DIR", type=Path, help="where the results go; nothing there is overwritten")
    run.add_argument("--workers", type=_positive, default=os.cpu_count() or 1, metavar="N", help="processes (default: one per core)")
    run.add_argument("--report", type=Path, metavar="FILE.json", help="write verdicts, findings and figures there")
    run.add_argument("--full-frame", action="store_true", help="keep the photo's own size and place, untrimmed")
    run.add_argument("--marks", metavar="FILE.json", help="settings of single photos, by file name (docs/formats.md)")
    run.add_argument("--empty-set", metavar="PHOTO", type=Path, help="a photo of the empty set, whose light is evened out")
    run.add_argument("--matte", action="store_true", help="write the coverage beside it, as STEM_matte.png")
    run.add_argument("--format", choices=get_args(FileKind), help="another file format than the spec's")
    run.add_argument(
        "--names", metavar="PATTERN", help="another name pattern than the spec's: {name} {sku} {folder} {lot} {n} {n:03} {spec}"
    )
    run.add_argument("--max-bytes", type=_positive, metavar="N", help="another byte limit than the spec's")
    run.add_argument("--lot", default="lot", metavar="NAME", help="what {lot} stands for in names and in the manifest")
    run.add_argument("--manifest", action="store_true", help="write manifest.json and manifest.csv beside the results")
    shelf = commands.add_parser(
        "shelf", help="print a run sheet or listing spec that ships, to make one's own of it; without a name, list them"
    )
    shelf.add_argument("kind", choices=("sheets", "specs"))
    shelf.add_argument("name", nargs="?")
    shelf.add_argument("--against", metavar="NAME|FILE.json", help="say in words what changes from that one to this")
    demo = commands.add_parser("demo", help="start the application with the demo lot")
    demo.add_argument("--port", type=_positive, default=8620, help="first port to try (default: 8620)")
    commands.add_parser("stop", help="stop the application")
    return parser


def _positive(text: str) -> int:
    try:
        value = int(text)
    except ValueError:
        value = 0
    if value < 1:
        raise argparse.ArgumentTypeError(f"{text} is no whole number from 1")
    return value


def main(arguments: list[str] | None = None) -> int:
    options = build_parser().parse_args(arguments)
    try:
        if options.command == "run":
            return _run(options)
        if options.command == "shelf":
            return _shelf(options)
        from yardchalk.host import service

        if options.command == "demo":
            return service.demo(options.port)
        return service.stop()
    except YardError as error:
        print(error.message, file=sys.stderr)
        return USAGE
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return FAILED


def _file(path: Path) -> bytes:
    if not path.is_file():
        raise YardError("is not there", where=str(path), remedy="Check the name")
    return path.read_bytes()


def _changed(spec: ListingSpec, options: argparse.Namespace) -> ListingSpec:
    """The spec with what the command line says instead."""
    changes = {"file": options.format, "names": options.names, "max_bytes": options.max_bytes}
    given = {name: value for name, value in changes.items() if value is not None}
    return parse(ListingSpec, json.dumps(spec.model_dump(mode="json") | given), "the options") if given else spec


def _shelf(options: argparse.Namespace) -> int:
    from yardchalk.core.wording import differences, sheet_in_words, spec_in_words

    load: Callable[[str], RunSheet | ListingSpec] = load_sheet if options.kind == "sheets" else load_spec
    if options.name is None:
        for name in shipped(options.kind):
            print(f"{name:14}  {load(name).note}")
        return PASSED
    settings = load(options.name)
    if options.against is not None:
        print("\n".join(differences(load(options.against), settings)) or "They do the same.")
        return PASSED
    words = sheet_in_words(settings) if isinstance(settings, RunSheet) else spec_in_words(settings)
    print("\n".join(words), file=sys.stderr)
    print(settings.model_dump_json(indent=2))
    return PASSED


def _run(options: argparse.Namespace) -> int:
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    from yardchalk.studio.folder_run import find_photos, run_photos, write_manifest

    sheet, spec = load_sheet(options.sheet), _changed(load_spec(options.spec), options)
    photos = list(find_photos(options.photos))
    if not photos:
        raise YardError(
            "no photos in " + ", ".join(options.photos), remedy="Name JPEG, PNG, TIFF, WebP, GIF, AVIF or HEIC files, or a folder of them"
        )
    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn(), TextColumn("left"))
    with Progress(*columns, console=console) as bar:
        task = bar.add_task(f"{sheet.title or sheet.name}", total=len(photos))
        report = run_photos(
            photos,
            sheet,
            spec,
            options.out,
            workers=options.workers,
            whole_frame=options.full_frame,
            matte=options.matte,
            empty=_file(options.empty_set) if options.empty_set else None,
            marks=load_marks(options.marks) if options.marks else None,
            lot=options.lot,
            progress=lambda: bar.advance(task),
        )
    for row in report.photos:
        worst = row.error or (row.findings[0].message if row.findings and row.findings[0].severity != "note" else "")
        print(f"{row.verdict:6}  {Path(row.source).name}{'  ' + worst if worst else ''}")
    for refusal in report.refused:
        print(f"refused {refusal.reason}")
    kept = True
    if options.report:
        kept = _kept(options.report, partial(_write_report, options.report, report.model_dump_json(indent=2) + "\n"))
    if options.manifest:
        kept &= _kept(options.out, partial(write_manifest, report, sheet, options.out, options.lot))
    if not kept or report.refused or any(row.verdict == "failed" for row in report.photos):
        return FAILED
    return TO_FIX if any(row.verdict == "fix" for row in report.photos) else PASSED


def _write_report(path: Path, text: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)


def _kept(where: Path, write: Callable[[], object]) -> bool:
    """Whether what is told of a run could be written; if not, it is said, and the rest is still told."""
    try:
        write()
    except YardError as error:
        print(error.message, file=sys.stderr)
    except OSError as error:
        print(f"{where}: cannot be written ({error.strerror}). Choose another place, or make room", file=sys.stderr)
    else:
        return True
    return False


if __name__ == "__main__":
    sys.exit(main())
