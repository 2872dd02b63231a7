"""Tries: run sheets on a few photos of a lot that are unlike each other, side by side, before one is put in force."""

import time
from typing import Any

import psycopg

from yardchalk.core.checks import Finding, verdict_of
from yardchalk.core.codecs import encode_preview
from yardchalk.core.deliver import produce
from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.render import Render
from yardchalk.core.sampling import unlike
from yardchalk.store.queries import lot_rows, photo_rows, try_rows
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.found import take_frame
from yardchalk.studio.running import ended, run_key
from yardchalk.studio.shelf import Shelf

_MOST_SHEETS, _MOST_PHOTOS = 6, 8


def samples(studio: Studio, lot_id: int, count: int) -> list[int]:
    """So many photos of a lot that are unlike each other, by what was measured of them, the most ordinary one first."""
    with studio.transaction() as connection:
        rows = photo_rows.photos(connection, lot_id)
    return [int(rows[i]["id"]) for i in unlike([row["figures"] for row in rows], count)]


def try_sheets(studio: Studio, lot_id: int, sheets: list[str], photo_ids: list[int], *, again: bool = False) -> list[dict[str, Any]]:
    """A cell for each run sheet on each photo, as far as it is known; what is not is queued, with `again` also what failed.

    The photos' own departures are left out: it is the run sheet alone that is tried.
    """
    if len(sheets) > _MOST_SHEETS or len(photo_ids) > _MOST_PHOTOS:
        raise YardError(f"{_MOST_SHEETS} run sheets and {_MOST_PHOTOS} photos at most can be tried at once", remedy="Leave some out")
    with studio.transaction() as connection:
        lot = lot_rows.lot(connection, lot_id)
        if lot is None:
            raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
        shelf, empty = Shelf(connection), lot_rows.empty_digest(connection, lot_id)
        photos = {row["id"]: row for row in photo_rows.photos(connection, lot_id, photo_ids)}
        cells = []
        for sheet in sheets:
            for photo_id in photo_ids:
                if photo_id not in photos:
                    raise NotThere("is not in the lot", where=f"Photo {photo_id}", remedy="Choose one of the lot's photos")
                key = run_key({**photos[photo_id], "marks": {}}, shelf.sheet(sheet), shelf.spec(lot["spec"]), empty)
                row = try_rows.ask_try(connection, photo_id, sheet, lot["spec"], key, again)
                if row["state"] == "waiting" and row["job_id"] is None:
                    try_rows.set_try_job(connection, row["id"], studio.queue.ask_try(connection, row["id"]))
                cells.append({**row, "sheet": sheet})
    return cells


def run_try(studio: Studio, try_id: int) -> None:
    """What a worker does: compute one cell. A cell that is done is left alone."""
    with studio.transaction() as connection:
        asked = try_rows.begin_try(connection, try_id)
        if asked is None:
            return
        shelf = Shelf(connection)
        sheet, spec = shelf.sheet(asked["sheet"]), shelf.spec(asked["spec"])
    began = time.monotonic()
    try:
        empty = studio.files.get(asked["empty"]) if asked["empty"] else None
        render = Render(studio.files.get(asked["digest"]), asked["name"], sheet, digest=asked["digest"], empty=empty)
        take_frame(studio.files, render)
        result = produce(render, spec)
        findings: list[Finding] = result.findings
        done = {
            "verdict": verdict_of(findings),
            "findings": [finding.model_dump(mode="json") for finding in findings],
            "figures": result.figures,
            "preview": studio.files.put(encode_preview(result.preview)),
            "took_ms": round(1000 * (time.monotonic() - began)),
        }
    except psycopg.OperationalError:
        raise  # the database went away; it is tried again when it is back
    except Exception as error:  # the grid says what was wrong; its other cells go on
        message = (
            error.message if isinstance(error, YardError) else f"{asked['name']}: could not be worked ({type(error).__name__}: {error})."
        )
        with studio.transaction() as connection:
            try_rows.fail_try(connection, try_id, message)
            announce(connection, asked["lot_id"], asked["photo_id"])
        return
    with studio.transaction() as connection:
        try_rows.finish_try(connection, try_id, done)
        announce(connection, asked["lot_id"], asked["photo_id"])


def give_up_try(studio: Studio, try_id: int) -> None:
    """Record that one worker after the other was ended while it tried."""
    with studio.transaction() as connection:
        asked = try_rows.begin_try(connection, try_id)
        if asked is not None:
            try_rows.fail_try(connection, try_id, ended(asked["name"]))
            announce(connection, asked["lot_id"], asked["photo_id"])


def ask_lost_tries(studio: Studio) -> int:
    """Queue again the tries whose job is over or gone; how many."""
    with studio.transaction() as connection:
        rows = try_rows.lost_tries(connection)
        for row in rows:
            try_rows.set_try_job(connection, row["id"], studio.queue.ask_try(connection, row["id"]))
    return len(rows)
