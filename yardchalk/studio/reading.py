"""What the pages show of lots, photos and deliveries."""

from typing import Any, cast

from psycopg import Connection

from yardchalk.core.checks.lot import MEASURES, strip_of
from yardchalk.core.deliver import CROP_SIDES
from yardchalk.core.errors import NotThere
from yardchalk.core.mending import Bench
from yardchalk.core.settings import FrameMarks, ListingSpec, Marks, RunSheet
from yardchalk.core.stages.frame import make_framing
from yardchalk.store.queries import delivery_rows, lot_rows, photo_rows, run_rows, step_rows, verdict_rows
from yardchalk.store.queries.delivery_rows import DeliveredOf as DeliveredOf
from yardchalk.store.queries.rows import Row as Row
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.found import ENGINE
from yardchalk.studio.judging import judge_lot
from yardchalk.studio.running import ask_runs
from yardchalk.studio.shelf import Shelf, settings_of


def lots(studio: Studio) -> list[Row]:
    """All lots, newest first, with counts by verdict and the photos for their fan."""
    with studio.transaction() as connection:
        return lot_rows.lots(connection, ENGINE)


def lot(studio: Studio, lot_id: int) -> Row:
    """One lot with its counts and, while it runs, the seconds that are left."""
    with studio.transaction() as connection:
        row = lot_rows.lot(connection, lot_id, ENGINE)
        if row is None:
            raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
        pace = run_rows.pace(connection, lot_id)
        row["refusals"] = photo_rows.refusals(connection, lot_id)
    took, workers = pace["took_ms"], max(int(pace["workers"]), 1)
    row["seconds_left"] = row["waiting"] * took / 1000 / workers if row["waiting"] and took else None
    return row


def lineup(studio: Studio, lot_id: int, *, after: int | None = None, limit: int = 100_000, only: list[int] | None = None) -> str:
    """A page of the lot's photos as tiles, in JSON: those to fix first, then to look at, ready, failed, waiting; the worst first.

    `after` is the last photo of the page before.
    """
    with studio.transaction() as connection:
        return photo_rows.lineup(connection, lot_id, after=after, limit=limit, only=only)


def strips(studio: Studio, lot_id: int) -> list[dict[str, Any]]:
    """Figures that the lot's photos are compared by: each with the lot's middle, from where on a photo is odd, and all values."""
    with studio.transaction() as connection:
        rows = verdict_rows.figures(connection, lot_id)
    out = []
    for measure in MEASURES:
        dots = [{"photo": row["id"], "name": row["name"], "value": row["figures"].get(measure.key)} for row in rows]
        dots = [dot for dot in dots if dot["value"] is not None]
        strip = strip_of([dot["value"] for dot in dots], measure)
        if strip is not None:
            out.append(
                {
                    "title": measure.title,
                    "unit": measure.unit,
                    **{name: round(value, 2) for name, value in strip._asdict().items()},
                    "dots": dots,
                }
            )
    return out


def set_photo_sheet(studio: Studio, lot_id: int, photo_ids: list[int], sheet: str | None) -> int:
    """Give photos a run sheet of their own, or the lot's again, and run what that changes; how many photos that are."""
    with studio.transaction() as connection:
        if sheet is not None:
            Shelf(connection).sheet(sheet)
        photo_rows.set_photo_sheet(connection, lot_id, photo_ids, sheet)
    return ask_runs(studio, lot_id, only=photo_ids)


def photo_row(studio: Studio, photo_id: int) -> Row:
    """One photo with its findings and figures, and what its lot has in force."""
    with studio.transaction() as connection:
        return _photo_row(connection, photo_id)


def _photo_row(connection: Connection[Row], photo_id: int) -> Row:
    row = photo_rows.photo(connection, photo_id)
    if row is None:
        raise NotThere("is not there", where=f"Photo {photo_id}", remedy="Go back to the lots")
    return row


def photo(studio: Studio, photo_id: int) -> Row:
    """The same with its steps and snapshots, and the order of the lot's photos."""
    with studio.transaction() as connection:
        row = _photo_row(connection, photo_id)
        row["order"] = photo_rows.order(connection, row["lot_id"])
        row |= step_rows.steps_beside(connection, photo_id)
        row["snapshots"] = step_rows.snapshots(connection, photo_id)
    return row


def remove_photos(studio: Studio, lot_id: int, photo_ids: list[int]) -> None:
    """Take photos out of a lot. What was delivered of them stays on record."""
    with studio.transaction() as connection:
        for photo_id in photo_ids:
            photo_rows.remove_photo(connection, lot_id, photo_id)
        announce(connection, lot_id)
    judge_lot(studio, lot_id)


def deliveries(studio: Studio) -> list[Row]:
    """The last deliveries, newest first, with how many files each has, and how many of them the listing desk was sent and accepted."""
    with studio.transaction() as connection:
        return delivery_rows.deliveries(connection)


def delivery_files(studio: Studio, delivery_id: int, which: DeliveredOf, limit: int) -> list[Row]:
    """The first of a delivery's files, or of those of them that want a look."""
    delivery(studio, delivery_id)
    with studio.transaction() as connection:
        return delivery_rows.some_delivery_files(connection, delivery_id, which, limit)


def delivered_file(studio: Studio, delivery_id: int, file_id: int) -> tuple[str, bytes]:
    """Name and content of one delivered file, as it was written."""
    with studio.transaction() as connection:
        row = delivery_rows.delivery_file(connection, delivery_id, file_id)
    if row is None or row["digest"] is None:
        raise NotThere("is not there", where=f"File {file_id} of delivery {delivery_id}", remedy="Go back to the deliveries")
    return row["name"], stored(studio, row["digest"])


def delivery(studio: Studio, delivery_id: int) -> Row:
    """One delivery."""
    with studio.transaction() as connection:
        row = delivery_rows.delivery(connection, delivery_id)
    if row is None:
        raise NotThere("is not there", where=f"Delivery {delivery_id}", remedy="Go back to the deliveries")
    return row


def stored(studio: Studio, digest: str) -> bytes:
    """A stored picture by its digest."""
    try:
        return studio.files.get(digest)
    except (FileNotFoundError, ValueError):
        raise NotThere("is not there", where="The picture", remedy="Run the photo again") from None


def sheet_of(row: Row) -> RunSheet:
    """The run sheet in force for a photo's row."""
    return cast(RunSheet, settings_of("sheet", row["sheet"], row["sheet_content"]))


def spec_of(row: Row) -> ListingSpec:
    """The listing spec in force for a photo's row."""
    return cast(ListingSpec, settings_of("spec", row["spec"], row["spec_content"]))


def frame_of(row: Row) -> FrameMarks | None:
    """The frame in force for a photo's row."""
    return frame_under(row, sheet_of(row))


def frame_under(row: Row, sheet: RunSheet) -> FrameMarks | None:
    """The same under the run sheet given: the photo's own or, where the run sheet finds one, that of its last run."""
    own = Marks.model_validate(row["marks"]).frame
    if own is not None or (sheet.frame.crop == "none" and not sheet.frame.turns):
        return own
    found = [row["figures"].get(f"crop {side} (share)") for side in CROP_SIDES]
    if None in found:
        return FrameMarks(turns=sheet.frame.turns)
    return FrameMarks.model_validate({"crop": found, "turns": sheet.frame.turns})


def bench_of(row: Row) -> Bench:
    """What mends for a photo's findings hang on."""
    framing = make_framing(row["facts"]["width"], row["facts"]["height"], frame_of(row))
    return Bench(Marks.model_validate(row["marks"]), sheet_of(row), framing, row["figures"])


def departures(studio: Studio, lot_id: int) -> list[Row]:
    """The lot's photos with settings of their own: name, stages that differ, and their own run sheet if they have one."""
    with studio.transaction() as connection:
        rows = photo_rows.photos(connection, lot_id)
    return [
        {"id": row["id"], "name": row["name"], "stages": sorted(row["marks"]), "sheet": row["sheet"]}
        for row in rows
        if row["marks"] or row["sheet"]
    ]


def arrivals(studio: Studio, limit: int = 300) -> list[Row]:
    """What came in last, and what did not and why, over all lots."""
    with studio.transaction() as connection:
        return photo_rows.arrivals(connection, limit)
