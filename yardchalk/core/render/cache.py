"""What was computed, kept under the hash of all that went in."""

import hashlib
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")


class StageCache:
    """Results by the hash of what went in; the longest unused go first when it is full. Safe among threads.

    What several results have in common is counted once.
    """

    def __init__(self, max_bytes: int = 600_000_000) -> None:
        self.max_bytes = max_bytes
        self._kept: OrderedDict[str, tuple[Any, dict[int, int]]] = OrderedDict()
        self._holders: Counter[int] = Counter()
        self._size = 0
        self._lock = threading.Lock()

    def get(self, key: tuple[Any, ...], compute: Callable[[], T]) -> T:
        """The result under the key, computed if it is not there."""
        digest = hashlib.sha256(repr(key).encode()).hexdigest()
        with self._lock:
            if digest in self._kept:
                self._kept.move_to_end(digest)
                found: T = self._kept[digest][0]
                return found
        value = compute()
        buffers = _buffers_of(value)
        with self._lock:
            if digest not in self._kept:
                self._kept[digest] = (value, buffers)
                self._size += sum(size for buffer, size in buffers.items() if not self._holders[buffer])
                self._holders.update(buffers.keys())
            while self._size > self.max_bytes and len(self._kept) > 1:
                self._let_go(next(iter(self._kept)))
        return value

    def peek(self, key: tuple[Any, ...]) -> Any:
        """The result under the key, or None if it is not there."""
        digest = hashlib.sha256(repr(key).encode()).hexdigest()
        with self._lock:
            return self._kept[digest][0] if digest in self._kept else None

    def forget(self, key: tuple[Any, ...]) -> None:
        """Let go of the result under the key, if it is there."""
        digest = hashlib.sha256(repr(key).encode()).hexdigest()
        with self._lock:
            if digest in self._kept:
                self._let_go(digest)

    def forget_large(self, least: int = 60_000_000) -> None:
        """Let go of what takes at least so many bytes: full-size pictures, once they are on the canvas."""
        with self._lock:
            for digest in [digest for digest, (_, buffers) in self._kept.items() if sum(buffers.values()) >= least]:
                self._let_go(digest)

    def _let_go(self, digest: str) -> None:
        for buffer, size in self._kept.pop(digest)[1].items():
            self._holders[buffer] -= 1
            if not self._holders[buffer]:
                del self._holders[buffer]
                self._size -= size


def _buffers_of(value: Any) -> dict[int, int]:
    """What a result holds in memory: each array's or file's identity and bytes. A view holds all of what it is a view of."""
    if isinstance(value, np.ndarray):
        while isinstance(value.base, np.ndarray):
            value = value.base
        return {id(value): int(value.nbytes)}
    if isinstance(value, bytes):
        return {id(value): len(value)}
    if isinstance(value, (tuple, list)):
        return {buffer: size for item in value for buffer, size in _buffers_of(item).items()}
    return _buffers_of(list(vars(value).values())) if hasattr(value, "__dict__") else {}
