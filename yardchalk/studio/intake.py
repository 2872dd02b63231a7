"""Intake: files and ZIPs into a lot; what cannot be read is refused by name, the rest goes on."""

import contextlib
import hashlib
import zipfile
from collections.abc import Iterator
from typing import IO

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yardchalk.core.codecs import decode_photo, encode_preview, inspect_photo, pages_of
from yardchalk.core.codecs.reading import Limits
from yardchalk.core.errors import UnreadablePhoto, YardError
from yardchalk.core.pixels import Picture
from yardchalk.store.queries import photo_rows
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.names import hidden, safe_name, safe_path

_ZIP_ENTRIES = 5_000
_SMALL = 320  # px


class NotTaken(BaseModel):
    """A file that became no photo, and why not."""

    name: str
    reason: str


class IntakeReport(BaseModel):
    """What came in, what the lot had already, what other lots have too, and what was refused and why."""

    source: str = "dropped"
    added: list[int] = []
    known: list[NotTaken] = []
    elsewhere: list[str] = []
    refused: list[NotTaken] = []


def take_in(studio: Studio, lot_id: int, name: str, file: IO[bytes], source: str = "dropped") -> IntakeReport:
    """Take one dropped file in: a photo, or a ZIP of photos.

    Parameters
    ----------
    name : str
        As the sender calls it, with its folders; only used for messages and, with the last of them, as the photo's name, made safe.
    file : binary file
        On disk, seekable.
    source : str
        Where it came from, for the record.
    """
    report = IntakeReport(source=source)
    head = file.read(4)
    file.seek(0)
    entries = _unzipped(file, safe_name(name), studio.limits, report) if head == b"PK\x03\x04" else iter([(name, file)])
    for entry_name, entry in entries:
        if not hidden(entry_name):
            _take_one(studio, lot_id, safe_path(entry_name), entry, report)
    with studio.transaction() as connection:
        for refused in report.refused:
            photo_rows.refuse(connection, lot_id, refused.name, refused.reason, source)
        for known in report.known:
            photo_rows.refuse(connection, lot_id, known.name, known.reason, source, "known")
        announce(connection, lot_id)
    return report


def _take_one(studio: Studio, lot_id: int, name: str, file: IO[bytes], report: IntakeReport) -> None:
    try:
        data = file.read(studio.limits.max_bytes + 1)
    except (zipfile.BadZipFile, OSError, EOFError, RuntimeError):
        report.refused.append(NotTaken(name=name, reason=f"{name}: cannot be unpacked. Make the ZIP again, without a password."))
        return
    try:
        for label, page in pages_of(data, name, studio.limits):
            _take_page(studio, lot_id, label, page, report)
    except UnreadablePhoto as error:
        report.refused.append(NotTaken(name=name, reason=error.message))
    except YardError as error:  # not the file's fault; those that came before it are taken in all the same
        report.refused.append(NotTaken(name=name, reason=f"{name}: is not kept. {error.message}"))


def _take_page(studio: Studio, lot_id: int, name: str, data: bytes, report: IntakeReport) -> None:
    try:
        facts = inspect_photo(data, name, studio.limits)
        # Read to the end at a small codec scale: a file cut short is found now, not in the middle of a run.
        photo = decode_photo(data, name, studio.limits, _SMALL)
    except UnreadablePhoto as error:
        report.refused.append(NotTaken(name=name, reason=error.message))
        return
    digest = hashlib.sha256(data).hexdigest()
    with studio.transaction() as connection:
        known = photo_rows.photo_of_content(connection, lot_id, digest)
        others = photo_rows.lots_with_content(connection, lot_id, digest)
    if known is not None:
        report.known.append(NotTaken(name=name, reason=f"{name} is {known['name']}, which the lot has already"))
        return
    studio.files.put(data)
    as_shot = studio.files.put(encode_preview(_small(photo)))
    with studio.transaction() as connection:
        photo_id = photo_rows.add_photo(connection, lot_id, name, digest, len(data), facts.model_dump(), report.source, as_shot)
        announce(connection, lot_id, photo_id)
    if photo_id is None:
        report.known.append(NotTaken(name=name, reason=f"{name} is in the lot already"))
    else:
        report.added.append(photo_id)
        if others:
            report.elsewhere.append(f"{name} is also in {' and '.join(others[:3])}; its file is stored once")


def _small(photo: Picture) -> NDArray[np.uint8]:
    """What the board shows of a photo until it was run: RGB or RGBA, (h, w, 3 or 4)."""
    scale = min(1.0, _SMALL / max(photo.width, photo.height))
    small = photo.resized(max(1, round(photo.width * scale)), max(1, round(photo.height * scale))).eight_bit()
    shown = small.pixels if small.alpha is None else np.dstack([small.pixels, small.alpha])
    return shown.astype(np.uint8, copy=False)


def _unzipped(file: IO[bytes], name: str, limits: Limits, report: IntakeReport) -> Iterator[tuple[str, IO[bytes]]]:
    try:
        archive = zipfile.ZipFile(file)
    except zipfile.BadZipFile:
        report.refused.append(NotTaken(name=name, reason=f"{name}: is a broken ZIP. Make it again."))
        return
    with archive:
        entries = [entry for entry in archive.infolist() if not entry.is_dir() and not hidden(entry.filename)]
        if len(entries) > _ZIP_ENTRIES:
            reason = f"{name}: holds {len(entries):,} files, more than {_ZIP_ENTRIES:,}. Split it."
            report.refused.append(NotTaken(name=name, reason=reason))
            return
        for entry in entries:
            path = _path_in_zip(entry)
            label = safe_path(path)
            if entry.file_size > limits.max_bytes:
                size = f"has {entry.file_size / 1e6:.0f} MB unpacked, more than the {limits.max_bytes / 1e6:.0f} MB allowed"
                report.refused.append(NotTaken(name=label, reason=f"{label}: {size}. Save it smaller."))
                continue
            try:
                opened = archive.open(entry)
            except (RuntimeError, NotImplementedError, zipfile.BadZipFile):
                reason = f"{label}: cannot be unpacked. Make the ZIP again, without a password."
                report.refused.append(NotTaken(name=label, reason=reason))
                continue
            with opened:
                yield path, opened


def _path_in_zip(entry: zipfile.ZipInfo) -> str:
    """The path of an entry. Some systems write UTF-8 without saying so, where it has to be read as code page 437 (APPNOTE, D.1)."""
    if not entry.flag_bits & 0x800:
        with contextlib.suppress(UnicodeError):
            return entry.filename.encode("cp437").decode()
    return entry.filename
