"""Run a sheet over files and folders, without server or database: what the command line does."""

import contextlib
import ctypes
import hashlib
import os
from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from yardchalk.core.checks import Finding, verdict_of, worst_first
from yardchalk.core.checks.lot import check_lot
from yardchalk.core.checks.unframed import unframed
from yardchalk.core.codecs import SUFFIX, pages_of
from yardchalk.core.codecs.reading import CAMERA_RAW, Limits, sniff
from yardchalk.core.deliver import MendShare, produce
from yardchalk.core.errors import UnreadablePhoto, YardError
from yardchalk.core.render import Render
from yardchalk.core.settings import ListingSpec, Marks, RunSheet
from yardchalk.studio.manifest import Manifest, ManifestRow, manifest_csv, manifest_json
from yardchalk.studio.names import hidden, plan_names, readable, safe_path
from yardchalk.studio.side_by_side import side_by_side
from yardchalk.studio.writing import write_new

# Endings of pictures: those that are read, and some that are not.
_PHOTOS = {".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".gif", ".avif", ".heic", ".heif"}
_OTHERS = {".bmp", ".eps", ".exr", ".hdr", ".jp2", ".jxl", ".pdf", ".psb", ".psd", ".svg", ".tga"}
# Options of glibc's mallopt.
_M_TRIM_THRESHOLD = -1
_M_MMAP_THRESHOLD = -3
_M_ARENA_MAX = -8


class PhotoReport(BaseModel):
    source: str
    outputs: list[str]
    verdict: str
    findings: list[Finding]
    figures: dict[str, float | None]
    error: str | None = None
    mends: list[MendShare] = []
    source_sha256: str = ""
    result_sha256: str = ""


class Refusal(BaseModel):
    source: str
    reason: str


class RunReport(BaseModel):
    """What a run did: by photo, and what was refused and why."""

    format: str = "yardchalk-report/1"
    sheet: str
    spec: str
    photos: list[PhotoReport] = []
    refused: list[Refusal] = []


def find_photos(paths: list[str]) -> Iterator[Path]:
    """Files as named, and in folders (with those below) all that are pictures by their ending or, without one, by their first bytes; in
    order of name. Pictures of formats that are not read are among them, so that they are refused by name; a list or a note is not.
    """
    for path in map(Path, paths):
        if path.is_dir():
            for below in sorted(path.rglob("*")):
                if below.is_file() and not hidden(str(below.relative_to(path))) and _is_picture(below):
                    yield below
        elif path.exists():
            yield path
        else:
            raise YardError("is not there", where=str(path), remedy="Check the name")


def _is_picture(path: Path) -> bool:
    if path.suffix:
        return path.suffix.lower() in _PHOTOS | _OTHERS | CAMERA_RAW
    try:
        with path.open("rb") as file:
            return sniff(file.read(256)) is not None
    except OSError:
        return True  # it is said by name when its turn comes


def run_photos(
    photos: list[Path],
    sheet: RunSheet,
    spec: ListingSpec,
    out: Path,
    *,
    workers: int,
    whole_frame: bool = False,
    matte: bool = False,
    marks: Mapping[str, Marks] | None = None,
    empty: bytes | None = None,
    lot: str = "lot",
    progress: Callable[[], None] = lambda: None,
) -> RunReport:
    """Run the sheet on every photo, in as many processes as workers, each on one core; the report keeps the photos' order.

    A single photo is worked here instead, on all cores.

    `marks` are those of single photos, by file name; a name that no photo has is an error. A TIFF of several pages is as many photos.
    `lot` is what the name pattern of the spec calls the lot.
    """
    marks = marks or {}
    pages = [(path, page, name) for path in photos for page, name in enumerate(_page_names(path))]
    if unknown := sorted(set(marks) - {name for _, _, name in pages}):
        raise YardError("is not among the photos", where=unknown[0], remedy="Check the names in the marks file")
    report = RunReport(sheet=sheet.name, spec=spec.name)
    # Settled before anything is written, so that the names do not hang on who is done first.
    named = plan_names(
        spec.names, [(safe_path(f"{path.parent.name}/{name}"), SUFFIX[spec.file]) for path, _, name in pages], lot=lot, spec=spec.name
    )
    jobs = [
        (path, page, name, planned.name.rpartition(".")[0], sheet, marks.get(name, Marks()), empty, spec, out, whole_frame, matte)
        for (path, page, name), planned in zip(pages, named, strict=True)
    ]
    rows: dict[int, PhotoReport | Refusal] = {}
    if len(jobs) <= 1:
        for i, job in enumerate(jobs):
            rows[i] = _run_one(*job)
            progress()
    else:
        for i, row in side_by_side(_run_one, jobs, workers, start=one_core, ended=_ended):
            rows[i] = row
            progress()
    for i in range(len(jobs)):
        row = rows[i]
        if isinstance(row, Refusal):
            report.refused.append(row)
        else:
            report.photos.append(row)
    done = [row for row in report.photos if row.error is None]
    for row, beside in zip(done, check_lot([row.figures for row in done]), strict=True):
        row.findings = worst_first([*row.findings, *beside])
        row.verdict = verdict_of(row.findings)
    return report


def one_core() -> None:
    """Keep a worker process to one core: the libraries' own threads only get into each other's way."""
    import cv2

    os.environ["VIPS_CONCURRENCY"] = "1"
    cv2.setNumThreads(1)
    # The C library gives every large array back to the kernel, which then clears each page anew for the next: a tenth of
    # the time. Kept instead, up to the most it lets be kept, and once for all threads: a worker's jobs take turns on several, each
    # of which would keep what its own took at most. Elsewhere than in glibc nothing is changed.
    with contextlib.suppress(OSError, AttributeError):
        library = ctypes.CDLL(None)
        library.mallopt(_M_ARENA_MAX, 1)
        library.mallopt(_M_MMAP_THRESHOLD, 32 << 20)
        library.mallopt(_M_TRIM_THRESHOLD, 1 << 30)


def _page_names(path: Path) -> list[str]:
    """Names of the photos in a file: its own, or one for each page."""
    own = readable(path.name)
    if path.suffix.lower() not in (".tif", ".tiff") or path.stat().st_size > Limits().max_bytes:
        return [own]
    try:
        return [name for name, _ in pages_of(path.read_bytes(), own)]
    except UnreadablePhoto:
        return [own]  # refused when its turn comes


def _run_one(
    path: Path,
    page: int,
    name: str,
    stem: str,
    sheet: RunSheet,
    marks: Marks,
    empty: bytes | None,
    spec: ListingSpec,
    out: Path,
    whole_frame: bool,
    matte: bool,
) -> PhotoReport | Refusal:
    limits = Limits()
    source = _source(path, name)
    try:
        if path.stat().st_size > limits.max_bytes:
            raise UnreadablePhoto(
                f"has {path.stat().st_size / 1e6:.0f} MB, more than the {limits.max_bytes / 1e6:.0f} MB allowed",
                where=name,
                remedy="Save it smaller",
            )
        data = path.read_bytes()
        data = next(held for number, (_, held) in enumerate(pages_of(data, readable(path.name))) if number == page)
        digest = hashlib.sha256(data).hexdigest()
        render = Render(data, name, sheet, marks, digest=digest, empty=empty)
        result = produce(render, spec, whole_frame=whole_frame, matte=matte)
        written = write_new(out, stem, result.suffix, result.data)
        outputs = [readable(str(written))]
        if result.matte is not None:
            outputs.append(readable(str(write_new(out, f"{stem}_matte", ".png", result.matte))))
    except UnreadablePhoto as error:
        return Refusal(source=source, reason=error.message)
    except (YardError, OSError) as error:
        return _failed(source, str(error))
    except Exception as error:  # one photo's fault must not end the run of the others
        return _failed(source, f"{name}: could not be worked ({type(error).__name__}: {error}). Please report this photo.")
    findings = unframed(result.findings, render.framing)
    row = PhotoReport(source=source, outputs=outputs, verdict=result.verdict, findings=findings, figures=result.figures)
    row.mends = result.mends
    row.source_sha256, row.result_sha256 = digest, hashlib.sha256(result.data).hexdigest()
    return row


def _source(path: Path, name: str) -> str:
    return readable(str(path.with_name(name)))


def _ended(path: Path, page: int, name: str, *_: object) -> PhotoReport:
    """Of a photo whose process was ended, and again when it had the machine to itself."""
    remedy = "Make it smaller, or run it where there is more memory"
    return _failed(_source(path, name), f"{name}: the process that worked on it was ended, most likely for want of memory. {remedy}")


def _failed(source: str, message: str) -> PhotoReport:
    empty: dict[str, Any] = {}
    return PhotoReport(source=source, outputs=[], verdict="failed", findings=[], figures=empty, error=message)


def write_manifest(report: RunReport, sheet: RunSheet, out: Path, lot: str) -> list[Path]:
    """A manifest of what a run wrote, as JSON and CSV, beside it; the same as a delivery's."""
    rows = [
        ManifestRow(
            file=Path(row.outputs[0]).name,
            source=Path(row.source).name,
            source_sha256=row.source_sha256,
            result_sha256=row.result_sha256,
            bytes=(out / Path(row.outputs[0]).name).stat().st_size,
            run_sheet=sheet.name,
            run_sheet_version=sheet.version,
            listing_spec=report.spec,
            verdict=row.verdict,
            findings=row.findings,
            mends=row.mends,
        )
        for row in report.photos
        if row.outputs
    ]
    manifest = Manifest(lot=lot, delivered_at=datetime.now(UTC).isoformat(timespec="seconds"), files=rows)
    return [
        write_new(out, "manifest", ".json", manifest_json(manifest)),
        write_new(out, "manifest", ".csv", manifest_csv(manifest)),
    ]
