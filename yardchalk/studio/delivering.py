"""Deliveries: checked results written to a folder, with a manifest, and as a ZIP."""

import hashlib
import os
import re
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, cast

from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.settings import load_sheet
from yardchalk.store import queries
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.manifest import Manifest, ManifestRow, manifest_csv, manifest_json
from yardchalk.studio.names import stem_of
from yardchalk.studio.writing import write_new


def deliver(studio: Studio, lot_id: int, verdicts: frozenset[str] = frozenset({"ready"})) -> int:
    """Write the results with these verdicts into a new folder; returns the delivery's number.

    Each file is written aside, read back from disk and held against the bytes that were checked, then put in place.
    """
    with studio.transaction() as connection:
        lot = queries.lot(connection, lot_id)
        rows = queries.photos(connection, lot_id)
    if lot is None:
        raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
    chosen = [row for row in rows if row["state"] == "done" and row["verdict"] in verdicts and row["result"]]
    if not chosen:
        raise YardError("has no photo to deliver", where=lot["name"], remedy="Run it first, or deliver those to look at as well")
    now = datetime.now(UTC)
    # Written under a name that says so, and renamed once it is whole: there is never half a delivery.
    label = f"{_slug(lot['name'])}-{now:%Y%m%d-%H%M%S}"
    aside = _new_folder(studio.deliveries, f".{label}.part")
    files = []
    for row in chosen:
        data = studio.files.get(row["result"])
        path = write_new(aside, stem_of(row["name"]), row["result_suffix"], data)
        digest = hashlib.sha256(path.read_bytes()).hexdigest()
        if digest != row["result"]:
            raise YardError("reads back different from what was checked", where=path.name, remedy="Check the disk, deliver again")
        files.append((row, path.name, digest, len(data)))
    manifest = Manifest(
        lot=lot["name"],
        delivered_at=now.isoformat(timespec="seconds"),
        files=[
            ManifestRow(
                file=name,
                source=row["name"],
                source_sha256=row["digest"],
                result_sha256=digest,
                bytes=size,
                run_sheet=row["sheet"] or lot["sheet"],
                run_sheet_version=load_sheet(row["sheet"] or lot["sheet"]).version,
                listing_spec=lot["spec"],
                verdict=row["verdict"],
                findings=row["findings"],
            )
            for row, name, digest, size in files
        ],
    )
    write_new(aside, "manifest", ".json", manifest_json(manifest))
    write_new(aside, "manifest", ".csv", manifest_csv(manifest))
    folder = _settle(aside, studio.deliveries, label)
    with studio.transaction() as connection:
        delivery_id = queries.add_delivery(connection, lot_id, lot["sheet"], lot["spec"], folder.name)
        for row, name, digest, size in files:
            queries.add_delivery_file(
                connection,
                delivery_id,
                {
                    "photo_id": row["id"],
                    "name": name,
                    "source": row["name"],
                    "source_digest": row["digest"],
                    "digest": digest,
                    "bytes": size,
                    "verdict": row["verdict"],
                    "findings": row["findings"],
                },
            )
        announce(connection, lot_id)
    return delivery_id


def folder_of(studio: Studio, delivery: queries.Row) -> Path:
    return studio.deliveries / str(delivery["folder"])


def zip_delivery(studio: Studio, delivery: queries.Row) -> Iterator[bytes]:
    """The delivery's folder as a ZIP, in pieces, without holding it in memory. Pictures are stored, not squeezed again."""
    folder = folder_of(studio, delivery)
    if not folder.is_dir():
        raise YardError("was moved or removed from disk", where=folder.name, remedy="Deliver the lot again")
    buffer = _Stream()
    with zipfile.ZipFile(cast(IO[bytes], buffer), "w", zipfile.ZIP_STORED) as archive:
        for path in sorted(folder.iterdir()):
            if path.suffix != ".part":
                archive.write(path, f"{folder.name}/{path.name}")
                yield buffer.taken()
    yield buffer.taken()


class _Stream:
    """A write-only file that hands on what was written; zipfile needs write, flush and tell of it."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []
        self._position = 0

    def write(self, data: bytes) -> int:
        self._pieces.append(bytes(data))
        self._position += len(data)
        return len(data)

    def tell(self) -> int:
        return self._position

    def flush(self) -> None:
        """Nothing is held back."""

    def taken(self) -> bytes:
        out = b"".join(self._pieces)
        self._pieces.clear()
        return out


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "lot"


def _settle(aside: Path, parent: Path, name: str) -> Path:
    folder = _new_folder(parent, name)
    os.replace(aside, folder)  # onto the empty folder that reserved the name
    return folder


def _new_folder(parent: Path, name: str) -> Path:
    for number in range(1, 1000):
        folder = parent / (name if number == 1 else f"{name}-{number}")
        try:
            folder.mkdir(parents=True)
        except FileExistsError:
            continue
        except OSError as error:
            raise YardError(f"cannot be written ({error.strerror})", where=str(parent), remedy="Make room") from None
        return folder
    raise YardError("has too many deliveries of this second", where=str(parent), remedy="Wait a moment")
