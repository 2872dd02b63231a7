"""Sending a delivery to the listing desk, file by file, and keeping what it answers."""

import json
import urllib.error
import urllib.parse
import urllib.request
from typing import Any

from yardchalk.core.errors import NotThere, YardError
from yardchalk.store.queries import delivery_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.delivering import folder_of

_PATIENCE_S = 30


def ask_sending(studio: Studio, delivery_id: int) -> int:
    """Queue the sending of all files that the desk has not accepted yet; how many."""
    with studio.transaction() as connection:
        delivery = delivery_rows.delivery(connection, delivery_id)
        if delivery is None:
            raise NotThere("is not there", where=f"Delivery {delivery_id}", remedy="Go back to the deliveries")
        if delivery["state"] != "done":
            raise YardError("is not written yet", where=delivery["folder"], remedy="Wait until it is")
        if not studio.desk_url:
            raise YardError("does not run", where="The listing desk", remedy="Start the application with ./yard demo")
        count = delivery_rows.ask_answers(connection, delivery_id)
        delivery_rows.set_delivery_job(connection, delivery_id, studio.queue.ask_sending(connection, delivery_id))
        announce(connection, delivery["lot_id"])
    return count


def send_delivery(studio: Studio, delivery_id: int) -> None:
    """What a worker does: send every file that still waits for an answer. The desk knows a file that it was sent before."""
    with studio.transaction() as connection:
        delivery = delivery_rows.delivery(connection, delivery_id)
        files = delivery_rows.delivery_files(connection, delivery_id) if delivery else []
    if delivery is None:
        return
    for file in files:
        if file["answer"] != "asked":
            continue
        path = folder_of(studio, delivery) / file["name"]
        try:
            answer, reasons = _sent(studio.desk_url, file, path.read_bytes())
        except FileNotFoundError:
            answer, reasons = "unanswered", [f"{file['name']} was moved or removed from disk. Deliver the lot again."]
        except (OSError, ValueError):
            answer, reasons = "unanswered", ["The desk did not answer. Send it again."]
        with studio.transaction() as connection:
            delivery_rows.set_answer(connection, file["id"], answer, reasons)
            announce(connection, delivery["lot_id"])


def _sent(desk_url: str, file: Row, data: bytes) -> tuple[str, list[str]]:
    address = f"{desk_url}/pictures?{urllib.parse.urlencode({'name': file['name']})}"
    # The same key again is the same picture again, not a second one.
    headers = {"Content-Type": "application/octet-stream", "Idempotency-Key": f"{file['delivery_id']}-{file['id']}"}
    request = urllib.request.Request(address, data, headers)
    with urllib.request.urlopen(request, timeout=_PATIENCE_S) as answer:
        said: dict[str, Any] = json.load(answer)
    return ("accepted" if said["accepted"] else "refused"), [str(reason) for reason in said["reasons"]]
