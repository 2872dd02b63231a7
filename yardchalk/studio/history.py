"""A photo's own marks: changed step by step, taken back and done again, kept under names, copied to photos alike."""

from dataclasses import dataclass

import numpy as np

from yardchalk.core.colour import delta_e, encode, to_lab
from yardchalk.core.colour_settings import ColourMarks
from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.settings import Marks
from yardchalk.store.queries import photo_rows, step_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio import reading
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.running import ask_runs

SAME_LIGHT = 3.0  # ΔE00 between the backdrops of two photos


@dataclass(frozen=True)
class Spread:
    """What copying a balance to the lot did.

    Attributes
    ----------
    copied : names of the photos that have it now.
    differing : name and ΔE00 of those whose backdrop shows another light, most different first.
    unmeasured : names of those that have not been run yet.
    """

    copied: list[str]
    differing: list[tuple[str, float]]
    unmeasured: list[str]


def set_marks(studio: Studio, photo_id: int, marks: Marks, what: str) -> None:
    """Put a photo's own departures from the run sheet in force, as a step that can be undone, and run it before all others."""
    row = reading.photo_row(studio, photo_id)
    _fit(row, marks)
    with studio.transaction() as connection:
        step_rows.add_step(connection, photo_id, marks.as_kept(), what)
        announce(connection, row["lot_id"], photo_id)
    ask_runs(studio, row["lot_id"], only=[photo_id], urgent=True)


def _fit(row: Row, marks: Marks) -> None:
    if "lift" in marks.as_kept() and not reading.sheet_of(row).lift.on:
        raise YardError("has no white point: the lot's run sheet leaves Lift out", where=row["name"], remedy="Choose another run sheet")


def undo(studio: Studio, photo_id: int) -> None:
    """Take the last step back."""
    _go(studio, photo_id, -1, "has nothing to undo")


def redo(studio: Studio, photo_id: int) -> None:
    """Do again what was taken back last."""
    _go(studio, photo_id, 1, "has nothing to redo")


def _go(studio: Studio, photo_id: int, by: int, nothing: str) -> None:
    row = reading.photo_row(studio, photo_id)
    with studio.transaction() as connection:
        if not step_rows.go_to_step(connection, photo_id, by):
            raise YardError(nothing, where=row["name"])
        announce(connection, row["lot_id"], photo_id)
    ask_runs(studio, row["lot_id"], only=[photo_id], urgent=True)


def keep_snapshot(studio: Studio, photo_id: int, name: str) -> None:
    """Keep the marks in force under a name."""
    reading.photo_row(studio, photo_id)
    with studio.transaction() as connection:
        step_rows.add_snapshot(connection, photo_id, name)


def restore_snapshot(studio: Studio, photo_id: int, snapshot_id: int) -> None:
    """Put the marks of a snapshot in force: a step like any other."""
    kept = next((one for one in reading.photo(studio, photo_id)["snapshots"] if one["id"] == snapshot_id), None)
    if kept is None:
        raise NotThere("is not there", where=f"Snapshot {snapshot_id}")
    set_marks(studio, photo_id, Marks.model_validate(kept["marks"]), f"Back to “{kept['name']}”")


def remove_snapshot(studio: Studio, photo_id: int, snapshot_id: int) -> None:
    """Forget a snapshot."""
    with studio.transaction() as connection:
        if not step_rows.remove_snapshot(connection, photo_id, snapshot_id):
            raise NotThere("is not there", where=f"Snapshot {snapshot_id}")


def copy_balance(studio: Studio, photo_id: int, tolerance: float = SAME_LIGHT) -> Spread:
    """Copy a photo's balance to the photos of its lot whose backdrop shows the same light, a step in each.

    Parameters
    ----------
    tolerance : how much the backdrops may differ in colour at the same luminance, ΔE00.
    """
    row = reading.photo_row(studio, photo_id)
    marks = Marks.model_validate(row["marks"])
    if marks.balance is None:
        raise YardError("has no balance of its own to copy", where=row["name"], remedy="Set one first")
    light = _light_of(row)
    if light is None:
        raise YardError("has not been measured yet", where=row["name"], remedy="Wait until it has been run")
    spread = Spread([], [], [])
    changed = []
    with studio.transaction() as connection:
        for other in photo_rows.photos(connection, row["lot_id"]):
            theirs = _light_of(other)
            if other["id"] == photo_id:
                continue
            if theirs is None:
                spread.unmeasured.append(other["name"])
            elif (apart := _apart(light, theirs)) > tolerance:
                spread.differing.append((other["name"], round(apart, 1)))
            else:
                own = Marks.model_validate(other["marks"]).model_copy(update={"balance": marks.balance})
                step_rows.add_step(connection, other["id"], own.as_kept(), f"Balance as {row['name']}")
                spread.copied.append(other["name"])
                changed.append(other["id"])
        announce(connection, row["lot_id"])
    spread.differing.sort(key=lambda one: -one[1])
    if changed:
        ask_runs(studio, row["lot_id"], only=changed)
    return spread


def copy_colour(studio: Studio, photo_id: int) -> list[str]:
    """Copy a photo's own Colour to all other photos of its lot, a step in each; their names."""
    row = reading.photo_row(studio, photo_id)
    colour = Marks.model_validate(row["marks"]).colour
    if colour == ColourMarks():
        raise YardError("has no colours of its own to copy", where=row["name"], remedy="Set some first")
    copied, changed = [], []
    with studio.transaction() as connection:
        for other in photo_rows.photos(connection, row["lot_id"]):
            theirs = Marks.model_validate(other["marks"])
            if other["id"] == photo_id or theirs.colour == colour:
                continue
            own = theirs.model_copy(update={"colour": colour})
            step_rows.add_step(connection, other["id"], own.as_kept(), f"Colour as {row['name']}")
            copied.append(other["name"])
            changed.append(other["id"])
        announce(connection, row["lot_id"])
    if changed:
        ask_runs(studio, row["lot_id"], only=changed)
    return copied


def _light_of(row: Row) -> tuple[float, float, float] | None:
    values = [row["figures"].get(f"backdrop {name} (linear)") for name in ("red", "green", "blue")]
    return None if None in values else (float(values[0]), float(values[1]), float(values[2]))


def _apart(a: tuple[float, float, float], b: tuple[float, float, float]) -> float:
    """Difference of two lights at the same luminance, ΔE00."""
    lit = [np.array(light) / max(float(np.dot(light, (0.2126, 0.7152, 0.0722))), 1e-6) * 0.6 for light in (a, b)]
    first, second = (to_lab(np.round(encode(np.clip(light, 0, 1))[None] * 65535).astype(np.uint16)) for light in lit)
    return float(delta_e(first, second)[0])
