"""Jobs in processes of their own, of which some are killed."""

import os
import signal
import tempfile
import unittest
from pathlib import Path

from yardchalk.studio.side_by_side import side_by_side


def _work(number: int, folder: str) -> str:
    """Of some the process does not come back: of 2 never, of 5 the first time."""
    tried = Path(folder, str(number))
    if number == 2 or (number == 5 and not tried.exists()):
        tried.touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return f"{number} done"


def _start() -> None:
    """Nothing to prepare."""


def _ended(number: int, folder: str) -> str:
    return f"{number} ended"


class SideBySideTest(unittest.TestCase):
    def test_a_process_that_is_killed_takes_nothing_with_it(self) -> None:
        for workers in (1, 3):
            with self.subTest(workers=workers), tempfile.TemporaryDirectory() as folder:
                done = list(side_by_side(_work, [(i, folder) for i in range(8)], workers, start=_start, ended=_ended))
                self.assertEqual(sorted(done), [(i, f"{i} ended" if i == 2 else f"{i} done") for i in range(8)])
