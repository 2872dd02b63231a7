"""Everything that has to hold: `./yard test [PART...]`, parts being lint, core, studio, web, browser."""

import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
PARTS = ("lint", "core", "studio", "web", "browser")
_PYTHON = [sys.executable, "-m"]
_LINT = {
    "ruff": [*_PYTHON, "ruff", "check", "."],
    "ruff format": [*_PYTHON, "ruff", "format", "--check", "."],
    "mypy": [*_PYTHON, "mypy"],
    "page types": ["npm", "--prefix", "page", "exec", "--", "tsc", "--noEmit", "-p", "page"],
    "page lint": ["npm", "--prefix", "page", "run", "lint"],
}


def _lint() -> tuple[int, int, str]:
    """How many held and did not, and what to print."""
    failed, said = 0, []
    for name, command in _LINT.items():
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True)
        said.append(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name}")
        if done.returncode != 0:
            failed += 1
            said.append(done.stdout + done.stderr)
    return len(_LINT) - failed, failed, "\n".join(said)


def _unittests(part: str) -> tuple[int, int]:
    suite = unittest.defaultTestLoader.discover(str(ROOT / "tests" / part), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=2).run(suite)
    failed = len(result.failures) + len(result.errors)
    return result.testsRun - failed - len(result.skipped), failed


def main(parts: list[str]) -> int:
    unknown = [part for part in parts if part not in PARTS]
    if unknown:
        print(f"There is no part {unknown[0]}; there are {', '.join(PARTS)}.")
        return 2
    asked = parts or list(PARTS)
    passed = failed = 0
    with ThreadPoolExecutor(1) as beside:
        # The linters are programs of their own; they run beside the first part, which needs one processor.
        linting = beside.submit(_lint) if "lint" in asked else None
        for part in (one for one in asked if one != "lint"):
            began = time.monotonic()
            print(f"\n== {part}", flush=True)
            good, bad = _unittests(part)
            passed, failed = passed + good, failed + bad
            print(f"{part}: {time.monotonic() - began:.0f} s", flush=True)
            if linting is not None:
                linting.result()  # what follows has timers of its own, and wants the machine for itself
        if linting is not None:
            good, bad, said = linting.result()
            passed, failed = passed + good, failed + bad
            print(f"\n== lint\n{said}", flush=True)
    print(f"\n{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
