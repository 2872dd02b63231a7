"""Results of a delivery for another listing spec than the lot's: computed while it is written, and checked as any other."""

from typing import Any

import psycopg

from yardchalk.core.checks import Finding, verdict_of
from yardchalk.core.checks.unframed import unframed
from yardchalk.core.errors import YardError
from yardchalk.store.queries import delivery_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.judging import judged_for
from yardchalk.studio.running import compute, unworkable


def make_results(studio: Studio, delivery: Row, files: list[Row]) -> None:
    """Compute what is not there yet of a delivery's files, one after the other, each kept as soon as it is there.

    What the checks say of it for this spec decides whether it goes along: with a verdict that the delivery does not take, it is left out,
    and it is said why. A worker that takes over goes on where the one before was ended.
    """
    for file in files:
        if file["digest"] is None and file["left_out"] is None:
            made = _made(studio, delivery, file)
            with studio.transaction() as connection:
                if isinstance(made, str):
                    delivery_rows.leave_out(connection, file["id"], made)
                else:
                    delivery_rows.set_made(connection, file["id"], made)
                announce(connection, delivery["lot_id"])


def _made(studio: Studio, delivery: Row, file: Row) -> dict[str, Any] | str:
    """A result; or why there is none, or none that goes along."""
    settings = {"sheet": file["sheet"], "spec": delivery["spec"], "marks": file["marks"], "empty": file["empty"]}
    try:
        done = compute(studio, {"digest": file["source_digest"], "name": file["source"], **settings})
    except YardError as error:
        return error.message
    except (OSError, psycopg.OperationalError):
        raise  # of the disk or the database: it is the whole delivery that fails, or waits
    except Exception as error:
        return unworkable(file["source"], error)
    with studio.transaction() as connection:
        found = judged_for(connection, file["photo_id"], delivery["spec"], done["findings"])
    verdict = verdict_of(found)
    if verdict not in delivery["verdicts"]:
        return _why(found)
    return {
        "digest": done["result"],
        "preview": done["preview"],
        "bytes": int(done["figures"].get("file (bytes)") or 0),
        "verdict": verdict,
        "findings": [finding.model_dump(mode="json") for finding in unframed(found, done["framing"])],
        "mends": done["mends"],
    }


def _why(found: list[Finding]) -> str:
    """The worst of what is found and not let pass, and what to do."""
    worst = next(finding for finding in found if finding.open)
    return f"To {worst.severity}, for this listing spec: {worst.message}. To mend or allow it, put the spec in force for the lot."
