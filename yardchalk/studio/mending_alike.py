"""Mending a lot: what the checks found in many photos is put right in all of them by one press, and taken back by one."""

from dataclasses import dataclass

from pydantic import TypeAdapter

from yardchalk.core.checks import Finding
from yardchalk.core.mending import offer_for_all
from yardchalk.store.queries import photo_rows, step_rows
from yardchalk.studio.context import Studio, announce
from yardchalk.studio.reading import bench_of
from yardchalk.studio.running import ask_runs

_WITH_OTHERS = ", with others of the lot"
_FINDINGS = TypeAdapter(list[Finding])


@dataclass(frozen=True)
class Done:
    """What was done, and in how many photos."""

    words: str
    photos: int


@dataclass(frozen=True)
class MendedAlike:
    """What mending a lot did.

    Attributes
    ----------
    photos : numbers of the photos that were changed.
    done : what was done, most often done first.
    left : names of those where no one press mends it.
    """

    photos: list[int]
    done: list[Done]
    left: list[str]


def mend_alike(studio: Studio, lot_id: int, photo_ids: list[int], check: str) -> MendedAlike:
    """Mend all open findings of a check in these photos of a lot, each photo by the mend it offers: a step in each, that can be undone.

    Photos that are not checked yet, and those without such a finding, are passed over.
    """
    changed: list[int] = []
    counts: dict[str, int] = {}
    left: list[str] = []
    with studio.transaction() as connection:
        for listed in photo_rows.photos(connection, lot_id, photo_ids):
            row = photo_rows.photo(connection, listed["id"]) if listed["state"] == "done" else None
            findings = [f for f in _FINDINGS.validate_python(row["findings"] if row else []) if f.check == check and f.open]
            if row is None or not findings:
                continue
            mend = offer_for_all(findings, bench_of(row))
            if mend is None:
                left.append(row["name"])
                continue
            step_rows.add_step(connection, row["id"], mend.marks.as_kept(), mend.words + _WITH_OTHERS)
            changed.append(row["id"])
            counts[mend.words] = counts.get(mend.words, 0) + 1
        announce(connection, lot_id)
    if changed:
        ask_runs(studio, lot_id, only=changed)
    done = [Done(words, photos) for words, photos in sorted(counts.items(), key=lambda one: -one[1])]
    return MendedAlike(changed, done, left)


def take_back_alike(studio: Studio, lot_id: int, photo_ids: list[int]) -> int:
    """Undo that in these photos, where nothing was done since; in how many it was."""
    changed = []
    with studio.transaction() as connection:
        for row in photo_rows.photos(connection, lot_id, photo_ids):
            last = step_rows.steps_beside(connection, row["id"])["undo"]
            if last is not None and last.endswith(_WITH_OTHERS) and step_rows.go_to_step(connection, row["id"], -1):
                changed.append(row["id"])
        announce(connection, lot_id)
    if changed:
        ask_runs(studio, lot_id, only=changed)
    return len(changed)
