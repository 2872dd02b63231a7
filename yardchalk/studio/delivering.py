"""Deliveries: checked results written to a folder, with a manifest, and as a ZIP."""

import hashlib
import os
import shutil
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any, cast

from psycopg import Connection

from yardchalk.core.checks import Finding
from yardchalk.core.checks.unframed import unframed
from yardchalk.core.codecs import SUFFIX
from yardchalk.core.deliver import with_background
from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.settings import RunSheet
from yardchalk.core.stages.frame import make_framing
from yardchalk.store.queries import delivery_rows, lot_rows, photo_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.making import make_results
from yardchalk.studio.manifest import Manifest, ManifestRow, manifest_csv, manifest_json
from yardchalk.studio.names import Named, plan_names, slug
from yardchalk.studio.reading import frame_under
from yardchalk.studio.shelf import Shelf
from yardchalk.studio.writing import write_new


def plan(studio: Studio, lot_id: int, verdicts: frozenset[str], new_only: bool = False, spec: str | None = None) -> list[dict[str, Any]]:
    """What a delivery of the results with these verdicts would hold: photo, file name, and what had to be done to the name.

    `new_only` leaves out what was delivered as it is; `spec` is another listing spec than the lot's.
    """
    with studio.transaction() as connection:
        lot, to_make = _lot(connection, lot_id, spec)
        chosen = [row for row in photo_rows.photos(connection, lot_id) if _goes_along(row, verdicts, new_only)]
        return [
            {
                "photo": row["id"],
                "source": row["name"],
                "name": named.name,
                "why": named.why,
                "verdict": row["verdict"],
                "delivered": row["delivered"],
            }
            for row, named in zip(chosen, _names(connection, lot, chosen, to_make), strict=True)
        ]


def deliver(
    studio: Studio,
    lot_id: int,
    verdicts: frozenset[str] = frozenset({"ready"}),
    new_only: bool = False,
    spec: str | None = None,
) -> int:
    """Put a delivery of the results with these verdicts on record and queue its writing; returns its number.

    What it holds is settled here: results that are computed later belong into the next one. For another listing spec than the lot's,
    the photos with these verdicts are computed while it is written, by the settings that they have now.
    """
    with studio.transaction() as connection:
        lot, to_make = _lot(connection, lot_id, spec)
        chosen = [row for row in photo_rows.photos(connection, lot_id) if _goes_along(row, verdicts, new_only)]
        if not chosen:
            raise YardError("has no photo to deliver", where=lot["name"], remedy="Run it first, or deliver those to look at as well")
        shelf, empty = Shelf(connection), lot_rows.empty_digest(connection, lot_id)
        delivery_id = delivery_rows.add_delivery(
            connection, lot_id, lot["sheet"], lot["spec"], _free_folder(studio, connection, lot), sorted(verdicts)
        )
        for row, named in zip(chosen, _names(connection, lot, chosen, to_make), strict=True):
            sheet = row["sheet"] or lot["sheet"]
            by = shelf.sheet(sheet)
            shown_by = with_background(shelf.spec(lot["spec"]), by.place.background)
            file = {
                "photo_id": row["id"],
                "name": named.name,
                "named": named.why,
                "source": row["name"],
                "source_digest": row["digest"],
                "see_through": shown_by.background == "transparent",
                "sheet": sheet,
                "sheet_version": by.version,
            }
            result = _to_make(row, empty) if to_make else _as_it_is(row, by)
            delivery_rows.add_delivery_file(connection, delivery_id, file | result)
        delivery_rows.set_delivery_job(connection, delivery_id, studio.queue.ask_delivery(connection, delivery_id))
        announce(connection, lot_id)
    return delivery_id


def _as_it_is(row: Row, sheet: RunSheet) -> Row:
    """The result that a photo has."""
    framing = make_framing(row["facts"]["width"], row["facts"]["height"], frame_under(row, sheet))
    findings = unframed([Finding.model_validate(found) for found in row["findings"]], framing)
    return {
        "digest": row["result"],
        "preview": row["preview"],
        "bytes": int(row["figures"].get("file (bytes)") or 0),
        "verdict": row["verdict"],
        "findings": [found.model_dump(mode="json") for found in findings],
        "mends": row["mends"],
        "marks": None,
        "empty": None,
    }


def _to_make(row: Row, empty: str | None) -> Row:
    """No result yet, but what it hangs on."""
    nothing: Row = {"digest": None, "preview": None, "bytes": 0, "verdict": None, "findings": [], "mends": []}
    return {**nothing, "marks": row["marks"], "empty": empty}


def _lot(connection: Connection[Any], lot_id: int, spec: str | None) -> tuple[Row, bool]:
    """The lot with the listing spec that it is delivered for, and whether results for that are still to be made."""
    lot = lot_rows.lot(connection, lot_id)
    if lot is None:
        raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
    if spec is None or spec == lot["spec"]:
        return lot, False
    Shelf(connection).spec(spec)
    return lot | {"spec": spec}, True


def _goes_along(row: Row, verdicts: frozenset[str], new_only: bool) -> bool:
    return bool(row["state"] == "done" and row["verdict"] in verdicts and row["result"] and not (new_only and row["delivered"]))


def _names(connection: Connection[Any], lot: Row, chosen: list[Row], to_make: bool) -> list[Named]:
    spec = Shelf(connection).spec(lot["spec"])
    photos = [(row["name"], SUFFIX[spec.file] if to_make else row["result_suffix"]) for row in chosen]
    return plan_names(spec.names, photos, lot=lot["name"], spec=spec.name)


def _free_folder(studio: Studio, connection: Connection[Any], lot: Row) -> str:
    label = f"{slug(lot['name'], 60) or 'lot'}-{lot['spec'].partition('@')[0]}-{datetime.now(UTC):%Y%m%d-%H%M%S}"
    for number in range(1, 1000):
        name = label if number == 1 else f"{label}-{number}"
        if not delivery_rows.folder_taken(connection, name) and not (studio.deliveries / name).exists():
            return name
    raise YardError("has too many deliveries of this second", where=lot["name"], remedy="Wait a moment")


def write_delivery(studio: Studio, delivery_id: int) -> None:
    """What a worker does: write a delivery's files and manifest into its folder. One that is there is left alone.

    Each file is written aside, read back from disk and held against the bytes that were checked. The folder has another name until it is
    whole, so there is never half a delivery; what a worker that died left behind is written anew.
    """
    with studio.transaction() as connection:
        delivery = delivery_rows.delivery(connection, delivery_id)
        if delivery is None or delivery["state"] == "done":
            return
        files = delivery_rows.delivery_files(connection, delivery_id)
        delivery_rows.set_delivery(connection, delivery_id, "writing")
        announce(connection, delivery["lot_id"])
    try:
        folder = folder_of(studio, delivery)
        if not folder.exists():
            make_results(studio, delivery, files)
            with studio.transaction() as connection:
                files = [file for file in delivery_rows.delivery_files(connection, delivery_id) if file["left_out"] is None]
            if not files:
                raise YardError("holds no file: all were left out", where=delivery["folder"], remedy="See below why, then write it again")
            _write_all(studio, delivery, files, folder)
    except (YardError, OSError) as error:
        message = (
            error.message if isinstance(error, YardError) else f"{delivery['folder']}: cannot be written ({error.strerror}). Make room."
        )
        with studio.transaction() as connection:
            delivery_rows.set_delivery(connection, delivery_id, "failed", message)
            announce(connection, delivery["lot_id"])
        return
    with studio.transaction() as connection:
        delivery_rows.set_delivery(connection, delivery_id, "done")
        delivery_rows.set_delivered(connection, delivery_id)
        announce(connection, delivery["lot_id"])


def _write_all(studio: Studio, delivery: Row, files: list[Row], folder: Path) -> None:
    aside = folder.with_name(f".{folder.name}.part")
    shutil.rmtree(aside, ignore_errors=True)
    aside.mkdir(parents=True)
    for file in files:
        stem, dot, suffix = str(file["name"]).rpartition(".")
        path = write_new(aside, stem, dot + suffix, studio.files.get(file["digest"]))
        if hashlib.sha256(path.read_bytes()).hexdigest() != file["digest"]:
            raise YardError("reads back different from what was checked", where=path.name, remedy="Check the disk, deliver again")
    manifest = Manifest(
        lot=delivery["lot_name"],
        # When it was asked for: written anew, it is the same delivery.
        delivered_at=delivery["created_at"].astimezone(UTC).isoformat(timespec="seconds"),
        files=[
            ManifestRow(
                file=file["name"],
                source=file["source"],
                source_sha256=file["source_digest"],
                result_sha256=file["digest"],
                bytes=file["bytes"],
                run_sheet=file["sheet"],
                run_sheet_version=file["sheet_version"],
                listing_spec=delivery["spec"],
                verdict=file["verdict"],
                findings=file["findings"],
                mends=file["mends"],
            )
            for file in files
        ],
    )
    write_new(aside, "manifest", ".json", manifest_json(manifest))
    write_new(aside, "manifest", ".csv", manifest_csv(manifest))
    os.rename(aside, folder)


def retry(studio: Studio, delivery_id: int) -> None:
    """Queue a failed delivery again."""
    with studio.transaction() as connection:
        delivery = delivery_rows.delivery(connection, delivery_id)
        if delivery is None or delivery["state"] != "failed":
            raise YardError("did not fail", where=f"Delivery {delivery_id}")
        delivery_rows.set_delivery(connection, delivery_id, "waiting")
        delivery_rows.take_in_again(connection, delivery_id)
        delivery_rows.set_delivery_job(connection, delivery_id, studio.queue.ask_delivery(connection, delivery_id))
        announce(connection, delivery["lot_id"])


def ask_lost_deliveries(studio: Studio) -> int:
    """Queue again the deliveries whose job is over or gone; how many."""
    with studio.transaction() as connection:
        rows = delivery_rows.lost_deliveries(connection)
        for row in rows:
            delivery_rows.set_delivery_job(connection, row["id"], studio.queue.ask_delivery(connection, row["id"]))
        unanswered = delivery_rows.unanswered_deliveries(connection)
        for delivery_id in unanswered:
            delivery_rows.set_delivery_job(connection, delivery_id, studio.queue.ask_sending(connection, delivery_id))
    return len(rows) + len(unanswered)


def folder_of(studio: Studio, delivery: Row) -> Path:
    return studio.deliveries / str(delivery["folder"])


def zip_delivery(studio: Studio, delivery: Row) -> Iterator[bytes]:
    """The delivery's folder as a ZIP, in pieces, without holding it in memory. Pictures are stored, not squeezed again."""
    folder = folder_of(studio, delivery)
    if delivery["state"] in ("waiting", "writing"):
        raise YardError("is still being written", where=folder.name, remedy="Wait a moment")
    if not folder.is_dir():
        raise YardError("was moved or removed from disk", where=folder.name, remedy="Deliver the lot again")
    return _zipped(folder)


def _zipped(folder: Path) -> Iterator[bytes]:
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
