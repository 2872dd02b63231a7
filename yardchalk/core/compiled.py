"""Compiled loops: where a chain of array operations would pass over a picture many times, one loop does it at once.

Compiled code is kept beside its source, so that only the first run on a machine pays for compiling it; the set-up does
that run. Reading and writing order, and with them every bit of a result, are the same on each machine.
"""

from collections.abc import Callable
from typing import Any, TypeVar

import numba

F = TypeVar("F", bound=Callable[..., Any])


def compiled(function: F) -> F:
    """Compile a function on arrays and numbers for the types it is first called with; it lets other threads run."""
    made: Any = numba.njit(cache=True, nogil=True, error_model="numpy")(function)
    kept: F = made
    return kept
