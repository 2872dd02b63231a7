"""Lots: made, named, removed, and taken back for as long as they are kept."""

from datetime import date

from yardchalk.core.errors import NotThere, YardError
from yardchalk.store.queries import lot_rows, photo_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.running import ask_runs, cancel_runs
from yardchalk.studio.shelf import Shelf

KEPT_DAYS = 30  # after a lot was removed


def add_lot(studio: Studio, name: str, sheet: str, spec: str) -> int:
    """A new, empty lot; its number."""
    with studio.transaction() as connection:
        Shelf(connection).sheet(sheet), Shelf(connection).spec(spec)
        return lot_rows.add_lot(connection, name.strip() or "New lot", sheet, spec)


def lot_of_folder(studio: Studio, folder: str) -> int:
    """The number of the lot that a watched folder's photos go into; if there is none a new one, with the white sheet and square spec."""
    with studio.transaction() as connection:
        found = lot_rows.lot_of_folder(connection, folder)
        return int(found["id"]) if found else lot_rows.add_lot(connection, folder, "white", "square-2000", folder)


def set_lot(studio: Studio, lot_id: int, sheet: str, spec: str) -> int:
    """Put another run sheet or listing spec in force and run what that changes; how many photos that are."""
    with studio.transaction() as connection:
        Shelf(connection).sheet(sheet), Shelf(connection).spec(spec)
        lot_rows.set_lot(connection, lot_id, sheet, spec)
    return ask_runs(studio, lot_id)


def set_empty(studio: Studio, lot_id: int, photo_id: int | None) -> int:
    """Say which photo of the lot shows the empty set, or that none does, and run what that changes; how many photos that are."""
    with studio.transaction() as connection:
        if photo_id is not None and not photo_rows.photos(connection, lot_id, [photo_id]):
            raise NotThere("is not in the lot", where=f"Photo {photo_id}", remedy="Choose one of the lot's photos")
        lot_rows.set_empty(connection, lot_id, photo_id)
        announce(connection, lot_id)
    return ask_runs(studio, lot_id)


def rename_lot(studio: Studio, lot_id: int, name: str) -> None:
    """Call a lot by another name. Folders of what was delivered of it keep theirs."""
    if not name.strip():
        raise YardError("has no name", where="The lot", remedy="Give it one")
    with studio.transaction() as connection:
        if not lot_rows.rename_lot(connection, lot_id, name.strip()):
            raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
        announce(connection, lot_id)


def set_due(studio: Studio, lot_id: int, due: date | None) -> None:
    """Say by which day a lot is owed, or that no day is set."""
    with studio.transaction() as connection:
        if not lot_rows.set_due(connection, lot_id, due):
            raise NotThere("is not there", where=f"Lot {lot_id}", remedy="Go back to the lots")
        announce(connection, lot_id)


def remove_lot(studio: Studio, lot_id: int) -> None:
    """Put a lot away, with what still waits in it taken back. What was delivered of it stays."""
    cancel_runs(studio, lot_id)
    with studio.transaction() as connection:
        if not lot_rows.set_removed(connection, lot_id, True):
            raise NotThere("is not there", where=f"Lot {lot_id}", remedy="It may have been removed already")
        announce(connection, lot_id)


def removed_lots(studio: Studio) -> list[Row]:
    """What was removed and is still kept, the last first."""
    with studio.transaction() as connection:
        return lot_rows.removed_lots(connection, KEPT_DAYS)


def take_back_lot(studio: Studio, lot_id: int) -> None:
    """Have a removed lot as it was, and run what was not done."""
    with studio.transaction() as connection:
        if not lot_rows.set_removed(connection, lot_id, False):
            raise NotThere("is not kept any more", where=f"Lot {lot_id}", remedy="Drop its photos again")
        announce(connection, lot_id)
    ask_runs(studio, lot_id)
