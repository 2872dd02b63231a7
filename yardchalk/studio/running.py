"""Runs: what is asked of the queue, and what a worker does for one photo."""

import hashlib
import time
from typing import Any

import psycopg

from yardchalk.core.codecs import encode_preview
from yardchalk.core.deliver import produce
from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.render import Render
from yardchalk.core.settings import ListingSpec, Marks, RunSheet
from yardchalk.store.queries import lot_rows, photo_rows, run_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.found import ENGINE, keep_decisions, known_decisions, take_frame
from yardchalk.studio.judging import judge, judge_lot
from yardchalk.studio.shelf import Shelf

# So long a hold lasts without being said again.
HOLD_S = 90


def run_key(photo: Row, sheet: RunSheet, spec: ListingSpec, empty: str | None) -> str:
    """Hash of all that a run's result hangs on; not of the names and notes of its settings."""
    parts = (
        ENGINE,
        photo["digest"],
        sheet.model_dump_json(exclude={"name", "title", "version", "note"}),
        spec.model_dump_json(exclude={"name", "title", "version", "note", "names"}),
        Marks.model_validate(photo["marks"]).model_dump_json(exclude={"mend": {"guides"}}),
        empty or "",
    )
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def ask_runs(
    studio: Studio, lot_id: int, *, only: list[int] | None = None, urgent: bool = False, anew: bool = False, failed: bool = False
) -> int:
    """Queue every photo of the lot (or those named) whose result is not what its settings ask; how many were queued.

    With `anew` also those of the named ones whose result is; with `failed` just those that failed. Lots take turns: a photo's place in
    the queue is counted on from the one whose turn it is, so that a lot that comes later need not wait for the end of one that came
    before (start-time fair queueing: Goyal, Vin and Cheng, SIGCOMM 1996). In a paused lot they wait without a job. What a person holds
    at the bench is put off, unless it is that person who asks (`urgent`).
    """
    with studio.transaction() as connection:
        lot = lot_rows.lot(connection, lot_id)
        if lot is None:
            raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
        asked = 0
        empty = lot_rows.empty_digest(connection, lot_id)
        shelf = Shelf(connection)
        turn = run_rows.next_turn(connection, lot_id)
        if anew and only:
            run_rows.run_anew(connection, lot_id, only)
        for photo in photo_rows.photos(connection, lot_id, only):
            if failed and photo["state"] != "failed":
                continue
            key = run_key(photo, shelf.sheet(photo["sheet"] or lot["sheet"]), shelf.spec(lot["spec"]), empty)
            busy = photo["state"] in ("waiting", "running") and photo["asked_key"] == key
            # An idle one is not done, whatever it was before.
            if busy or (photo["done_key"] == key and photo["state"] == "done"):
                continue
            if photo["held"] and not urgent:
                run_rows.put_off(connection, photo["id"])
                continue
            if lot["paused"] and not urgent:
                if photo["state"] == "waiting" and photo["job_id"] is not None:
                    studio.queue.cancel(photo["job_id"])
                run_rows.ask(connection, photo["id"], key, None, turn)
            else:
                job = studio.queue.ask_run(connection, photo["id"], key, turn=None if urgent else turn)
                run_rows.ask(connection, photo["id"], key, job, None if urgent else turn)
            turn += 1
            asked += 1
        announce(connection, lot_id)
    return asked


def pause(studio: Studio, lot_id: int) -> int:
    """Let what has not begun wait; how many photos that are."""
    with studio.transaction() as connection:
        run_rows.set_paused(connection, lot_id, True)
        waiting = 0
        for row in run_rows.waiting(connection, lot_id):
            if row["job_id"] is not None and studio.queue.cancel(row["job_id"]):
                run_rows.lose_job(connection, row["id"])
                waiting += 1
        announce(connection, lot_id)
    return waiting


def go_on(studio: Studio, lot_id: int) -> int:
    """Go on with a paused lot, in the order that it was in; how many photos are queued."""
    with studio.transaction() as connection:
        run_rows.set_paused(connection, lot_id, False)
        turn = run_rows.next_turn(connection, lot_id)
        rows = run_rows.without_job(connection, lot_id)
        for row in rows:
            job = studio.queue.ask_run(connection, row["id"], row["asked_key"], turn=turn)
            run_rows.ask(connection, row["id"], row["asked_key"], job, turn)
            turn += 1
        announce(connection, lot_id)
    return len(rows)


def hold(studio: Studio, photo_id: int) -> None:
    """Somebody works on the photo at the bench; said again every now and then, since they may go without a word."""
    with studio.transaction() as connection:
        run_rows.hold(connection, photo_id, HOLD_S)


def let_go(studio: Studio, photo_id: int | None = None) -> int:
    """The photo is free again, or all whose hold ran out; what a run wanted of them is asked now. How many photos that are."""
    with studio.transaction() as connection:
        rows = [row for row in run_rows.let_go(connection, photo_id) if row["put_off"]]
    return sum(ask_runs(studio, row["lot_id"], only=[row["id"]]) for row in rows)


def cancel_runs(studio: Studio, lot_id: int) -> int:
    """Take back what has not begun; how many photos that were."""
    with studio.transaction() as connection:
        run_rows.set_paused(connection, lot_id, False)
        rows = run_rows.waiting(connection, lot_id)
        taken = [row for row in rows if row["job_id"] is None or studio.queue.cancel(row["job_id"])]
        for row in taken:
            run_rows.unask(connection, row["id"])
        announce(connection, lot_id)
    return len(taken)


def ask_lost(studio: Studio) -> int:
    """Queue again what waits for a job that is over or gone; how many photos that were."""
    with studio.transaction() as connection:
        rows = run_rows.lost(connection)
        for row in rows:
            turn = run_rows.next_turn(connection, row["lot_id"])
            job = studio.queue.ask_run(connection, row["id"], row["asked_key"], turn=turn)
            run_rows.ask(connection, row["id"], row["asked_key"], job, turn)
            announce(connection, row["lot_id"], row["id"])
    return len(rows)


def run_photo(studio: Studio, photo_id: int, key: str) -> bool:
    """What a worker does: run one photo and keep the result. Whether it was this call that did it.

    Safe to be called again with the same key: a photo that was done meanwhile is left alone.
    """
    with studio.transaction() as connection:
        photo = photo_rows.photo(connection, photo_id)
        if photo is None or not run_rows.begin(connection, photo_id, key):
            if photo is not None:
                run_rows.settle(connection, photo_id, key)
                announce(connection, photo["lot_id"], photo_id)
            return False
        announce(connection, photo["lot_id"], photo_id)
    began = time.monotonic()
    try:
        done = compute(studio, photo)
        done["took_ms"] = round(1000 * (time.monotonic() - began))
    except YardError as error:
        _record_failure(studio, photo, key, error.message)
        return False
    except psycopg.OperationalError:
        raise  # the database went away: nobody's fault, and done again when it is back
    except Exception as error:
        # Put before the person on the line-up; the others go on, and Retry is one press away.
        _record_failure(studio, photo, key, unworkable(photo["name"], error))
        return False
    with studio.transaction() as connection:
        mine = run_rows.finish(connection, photo_id, key, done, ENGINE)
        judge(connection, [photo_id])
        announce(connection, photo["lot_id"], photo_id)
    judge_lot(studio, photo["lot_id"])
    return mine


def give_up_run(studio: Studio, photo_id: int, key: str) -> None:
    """Record that one worker after the other was ended while it ran the photo."""
    with studio.transaction() as connection:
        photo = photo_rows.photo(connection, photo_id)
    # The last one may have been ended when it was done with the photo.
    if photo is not None and photo["state"] in ("waiting", "running"):
        _record_failure(studio, photo, key, ended(photo["name"]))


def unworkable(name: str, error: Exception) -> str:
    """What is said of a photo that a fault of ours kept from being worked."""
    return f"{name}: could not be worked ({type(error).__name__}: {error}). Try again; if it stays, report this photo."


def ended(name: str) -> str:
    """What is said of a photo whose worker was ended again and again."""
    return f"{name}: the workers that ran it were ended, most likely for want of memory. Make it smaller, or free memory, then retry."


def _record_failure(studio: Studio, photo: Row, key: str, message: str) -> None:
    with studio.transaction() as connection:
        run_rows.fail(connection, photo["id"], key, message)
        announce(connection, photo["lot_id"], photo["id"])


def compute(studio: Studio, photo: Row) -> dict[str, Any]:
    """The checked result of a photo: its digest, name, marks, run sheet, listing spec and empty set; kept in the file store."""
    with studio.transaction() as connection:
        shelf = Shelf(connection)
        sheet, spec = shelf.sheet(photo["sheet"]), shelf.spec(photo["spec"])
    render = Render(
        studio.files.get(photo["digest"]),
        photo["name"],
        sheet,
        Marks.model_validate(photo["marks"]),
        digest=photo["digest"],
        empty=studio.files.get(photo["empty"]) if photo["empty"] else None,
    )
    take_frame(studio.files, render)
    # Most steps at the bench leave what is product and its edge as they were decided.
    known = known_decisions(studio.files, render)
    if known is not None:
        render.adopt(known)
    result = produce(render, spec)
    if known is None:
        keep_decisions(studio.files, render)
    return {
        "findings": [finding.model_dump(mode="json") for finding in result.findings],
        "figures": result.figures,
        "mends": [mend.model_dump() for mend in result.mends],
        "preview": studio.files.put(encode_preview(result.preview)),
        "result": studio.files.put(result.data),
        "suffix": result.suffix,
        "width": result.width,
        "height": result.height,
        "framing": render.framing,
    }
