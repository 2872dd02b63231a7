"""Everything that has to hold: `./yard test [PART...]`, parts being lint, core, studio, web, browser."""

import contextlib
import faulthandler
import io
import multiprocessing
import os
import select
import subprocess
import sys
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path
from typing import Any, NamedTuple

import cv2

ROOT = Path(__file__).resolve().parents[1]
PARTS = ("lint", "core", "studio", "web", "browser")
# In rounds: what needs no engine, tests that need one processor each, and tests that start processes of their own and wait for them.
_ROUNDS = (("lint",), ("core", "web"), ("studio", "browser"))
_LONGEST = 900  # s that a module may take; then it says where it hangs, and ends
_SLOWEST = 12  # are named at the end
_PYTHON = [sys.executable, "-m"]
_LINT = {
    "ruff": [*_PYTHON, "ruff", "check", "."],
    "ruff format": [*_PYTHON, "ruff", "format", "--check", "."],
    "mypy": [*_PYTHON, "mypy"],
    "page types": ["npm", "--prefix", "page", "exec", "--", "tsc", "--noEmit", "-p", "page"],
    "page lint": ["npm", "--prefix", "page", "run", "lint"],
}


class _Outcome(NamedTuple):
    """How many held and did not, and what there is to print."""

    passed: int
    failed: int
    said: str = ""
    took: tuple[tuple[float, str], ...] = ()  # seconds, of what


class _Timed(unittest.TextTestResult):
    """Notes how long each test takes, with what its class sets up before the first of them."""

    def __init__(self, *given: Any, **more: Any) -> None:
        super().__init__(*given, **more)
        self.took: list[tuple[float, str]] = []
        self.since = time.monotonic()

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        now = time.monotonic()
        self.took.append((now - self.since, test.id().removeprefix("tests.")))
        self.since = now


def _lint(name: str) -> _Outcome:
    began = time.monotonic()
    done = subprocess.run(_LINT[name], cwd=ROOT, capture_output=True, text=True)
    took = ((time.monotonic() - began, name),)
    if done.returncode == 0:
        return _Outcome(1, 0, f"ok   {name}\n", took)
    return _Outcome(0, 1, f"FAIL {name}\n{done.stdout}{done.stderr}\n", took)


def _module(name: str) -> _Outcome:
    faulthandler.dump_traceback_later(_LONGEST, exit=True)
    said = io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    result = unittest.TextTestRunner(said, verbosity=2, resultclass=_Timed).run(suite)
    assert isinstance(result, _Timed)
    faulthandler.cancel_dump_traceback_later()
    failed = len(result.failures) + len(result.errors)
    passed = result.testsRun - failed - len(result.skipped)
    return _Outcome(passed, failed, f"\n== {name}\n{said.getvalue()}", tuple(result.took))


def _side_by_side(parts: list[str]) -> Iterator[_Outcome]:
    """Linters and modules of tests, a process for each processor; the largest first, so that none is waited for at the end."""
    modules = [path for part in parts if part != "lint" for path in (ROOT / "tests" / part).glob("test_*.py")]
    modules.sort(key=lambda path: -path.stat().st_size)
    names = [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in modules]
    # Processors are shared out among modules; threads of one that wait for each other only take them from the next.
    os.environ.update({"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "NUMBA_NUM_THREADS": "1"})
    with ProcessPoolExecutor(min(4, os.cpu_count() or 1), multiprocessing.get_context("spawn"), cv2.setNumThreads, (1,)) as pool:
        asked = [pool.submit(_module, name) for name in names]
        asked += [pool.submit(_lint, name) for name in (_LINT if "lint" in parts else ())]
        for done in as_completed(asked):
            yield done.result()


def _wait_for_the_engine() -> None:
    """Until it is compiled, if that is still going on beside this."""
    compiling = os.environ.get("YARD_COMPILING")
    with contextlib.suppress(ProcessLookupError):
        if compiling:
            select.select([os.pidfd_open(int(compiling))], [], [])


def main(parts: list[str]) -> int:
    unknown = [part for part in parts if part not in PARTS]
    if unknown:
        print(f"There is no part {unknown[0]}; there are {', '.join(PARTS)}.")
        return 2
    passed = failed = 0
    took: list[tuple[float, str]] = []
    for some in _ROUNDS:
        asked = [part for part in some if part in (parts or PARTS)]
        if not asked:
            continue
        if asked != ["lint"]:
            _wait_for_the_engine()
        name, began = ", ".join(asked), time.monotonic()
        print(f"\n== {name}", flush=True)
        for outcome in _side_by_side(asked):
            passed, failed = passed + outcome.passed, failed + outcome.failed
            took += outcome.took
            print(outcome.said, end="", flush=True)
        print(f"{name}: {time.monotonic() - began:.0f} s", flush=True)
    print("\nSlowest:")
    for seconds, what in sorted(took, reverse=True)[:_SLOWEST]:
        print(f"{seconds:6.1f} s  {what}")
    print(f"\n{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
