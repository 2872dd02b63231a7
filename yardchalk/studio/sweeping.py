"""Sweeping: what processes that died left behind, and what nothing names any more."""

import shutil

from yardchalk.store.queries import delivery_rows, lot_rows, photo_rows
from yardchalk.studio.context import Studio
from yardchalk.studio.lots import KEPT_DAYS

# Younger files may belong to what is being written; nothing takes that long between its file and its row.
OLD_S = 3600.0


def sweep(studio: Studio, older_s: float = OLD_S) -> int:
    """Remove lots put away long ago, stored files that nothing names, half files, and folders of deliveries never finished; how many files.

    Only what is older than so many seconds; what can be computed again stays, since nothing is lost by it either way.
    """
    # First what is there, then what is named: what comes in between is in neither.
    found = studio.files.old_content(older_s)
    with studio.transaction() as connection:
        lot_rows.forget_lots(connection, KEPT_DAYS)
        named = photo_rows.digests_in_use(connection)
        writing = {row["folder"] for row in delivery_rows.deliveries(connection) if row["state"] in ("waiting", "writing")}
    removed = studio.files.remove_parts(older_s)
    for digest in found - named:
        studio.files.remove(digest)
        removed += 1
    if studio.deliveries.is_dir():
        for path in studio.deliveries.glob(".*.part"):
            if path.name[1:].removesuffix(".part") not in writing:
                shutil.rmtree(path, ignore_errors=True)
                removed += 1
    return removed
