"""The watched folder: `python -m yardchalk.jobs.watch`. What is put into it is taken in, each folder in it as a lot of its own.

It is looked through every other second rather than by the kernel's notices, which do not come from network shares.
"""

import contextlib
import logging
import os
import time
from pathlib import Path

import psycopg

from yardchalk.core.errors import YardError
from yardchalk.host.settings import Place
from yardchalk.jobs.queue import RunQueue
from yardchalk.studio.context import Studio
from yardchalk.studio.intake import take_in
from yardchalk.studio.lots import lot_of_folder
from yardchalk.studio.names import hidden, readable
from yardchalk.studio.running import ask_runs
from yardchalk.studio.sweeping import OLD_S, sweep

LOOSE = "Watched folder"
_EVERY_S = 1.0
_STILL_S = 2.0  # a file that has not changed for so long is whole
_TAKEN, _REFUSED = ".taken", ".refused"

log = logging.getLogger("yardchalk.jobs")


class Inbox:
    """One look after another at a folder.

    What was taken in is moved to .taken, what was refused to .refused, under the folder that it lay in; so nothing is lost, and what
    was cut off between is taken in again and then found to be there.
    """

    def __init__(self, studio: Studio, folder: Path) -> None:
        self.studio, self.folder = studio, folder
        self._seen: dict[Path, tuple[int, int, float]] = {}

    def look(self) -> int:
        """Take in what lies still; how many files that were."""
        self.folder.mkdir(parents=True, exist_ok=True)
        still = [path for path in sorted(self.folder.rglob("*")) if self._lies_still(path)]
        lots: dict[int, list[int]] = {}
        for path in still:
            # One file that cannot be taken in now is tried again later, and holds up none of the others.
            try:
                lot_id, added = self._take(path)
            except OSError:
                continue
            except psycopg.OperationalError:
                raise  # the database may be restarting: none of the others could be taken in either
            except Exception:
                log.warning("%s could not be taken in this time", path, exc_info=True)
                continue
            lots.setdefault(lot_id, []).extend(added)
        for lot_id, added in lots.items():
            if added:
                ask_runs(self.studio, lot_id, only=added)
        return len(still)

    def _take(self, path: Path) -> tuple[int, list[int]]:
        """Take a file in and put it away; returns its lot and the photos that it became."""
        lot_id = self._lot_of(path)
        # The first folder is the lot.
        first, *inside = path.relative_to(self.folder).parts
        with path.open("rb") as file:
            report = take_in(self.studio, lot_id, "/".join(inside) or first, file, source="watched folder")
        self._move(path, _TAKEN if not report.refused or report.added else _REFUSED)
        return lot_id, report.added

    def _lies_still(self, path: Path) -> bool:
        """Whether it is a file that is no longer being written."""
        inside = path.relative_to(self.folder)
        if hidden(str(inside)) or not path.is_file():
            return False
        try:
            stat = path.stat()
        except OSError:
            return False
        now = time.monotonic()
        size, changed, since = self._seen.get(path, (-1, -1, now))
        if (size, changed) != (stat.st_size, stat.st_mtime_ns):
            self._seen[path] = (stat.st_size, stat.st_mtime_ns, now)
            return False
        if now - since < _STILL_S or stat.st_size == 0:
            return False
        del self._seen[path]
        return True

    def _lot_of(self, path: Path) -> int:
        inside = path.relative_to(self.folder).parts
        return lot_of_folder(self.studio, readable(inside[0])[:120] if len(inside) > 1 else LOOSE)

    def _move(self, path: Path, where: str) -> None:
        target = self.folder / where / path.relative_to(self.folder)
        target.parent.mkdir(parents=True, exist_ok=True)
        number = 1
        while target.exists():
            number += 1
            target = target.with_name(f"{path.stem}-{number}{path.suffix}")
        path.rename(target)


def main() -> None:
    place = Place.from_environment()
    assert place.inbox is not None
    with contextlib.suppress(OSError):
        os.nice(10)
    queue = RunQueue(place.database_url)
    queue.open()
    studio = Studio.opened(place.database_url, place.files_url, place.deliveries, queue, connections=2)
    inbox = Inbox(studio, place.inbox)
    swept = -OLD_S
    while True:
        try:
            inbox.look()
            if time.monotonic() - swept > OLD_S:
                swept = time.monotonic()
                sweep(studio)
        except YardError as error:
            log.warning("%s", error.message)
        except Exception:  # the database may be restarting; the next look tries again
            log.warning("the watched folder could not be read this time", exc_info=True)
        time.sleep(_EVERY_S)


if __name__ == "__main__":
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(message)s")
    main()
