"""Render processes for the bench: apart from the workers, so that a person never waits for a lot.

A photo always goes to the same process, which keeps it decoded. What nobody waits for any more (the page dropped the
tile for a newer one) is left out when its turn comes.
"""

import asyncio
import contextlib
import multiprocessing
import threading
import zlib
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from fastapi import Request

from yardchalk.core.errors import YardError
from yardchalk.core.warm import warm_for_looking
from yardchalk.store.files import FileStore
from yardchalk.studio.asking import Asked, TileAsked
from yardchalk.studio.folder_run import one_core
from yardchalk.studio.viewing import Viewing

_IDLE = 1.0  # s
_OVER = object()
_CONTEXT = multiprocessing.get_context("spawn")


def _serve(pipe: Connection, files_url: str, warm: bool) -> None:
    """A render process: answers one question after another until the pipe closes."""
    one_core()
    viewing = Viewing(FileStore(files_url))
    warming: Iterator[None] | None = warm_for_looking() if warm else None
    # Starting up has the processor first; a question has it before that.
    pipe.poll(_IDLE)
    while True:
        try:
            while warming is not None and not pipe.poll():
                warming = warming if next(warming, _OVER) is None else None
            asked = pipe.recv()
        except (EOFError, KeyboardInterrupt):
            return
        try:
            pipe.send((True, viewing.answer(asked)))
        except Exception as error:
            pipe.send((False, error if isinstance(error, YardError) else RuntimeError(f"{type(error).__name__}: {error}")))


class _Renderer:
    """One process and the thread that feeds it."""

    def __init__(self, files_url: str, warm: bool) -> None:
        self._files_url, self._warm = files_url, warm
        # Tiles are looked at; what was measured can wait for them.
        self._tiles: deque[tuple[Asked, Future[Any]]] = deque()
        self._others: deque[tuple[Asked, Future[Any]]] = deque()
        self._ready = threading.Condition()
        self._closed = False
        self._process: BaseProcess | None = None
        self._pipe: Connection | None = None
        self._thread = threading.Thread(target=self._feed, daemon=True)
        self._thread.start()

    def ask(self, asked: Asked) -> Future[Any]:
        future: Future[Any] = Future()
        with self._ready:
            (self._tiles if isinstance(asked, TileAsked) else self._others).append((asked, future))
            self._ready.notify()
        return future

    def close(self) -> None:
        with self._ready:
            self._closed = True
            self._ready.notify()
        self._thread.join(5)
        self._drop()

    def _feed(self) -> None:
        self._start()
        while True:
            with self._ready:
                self._ready.wait_for(lambda: self._tiles or self._others or self._closed)
                if self._closed:
                    return
                asked, future = (self._tiles or self._others).popleft()
            if not future.set_running_or_notify_cancel():
                continue
            try:
                good, answer = self._exchange(asked)
            except (EOFError, OSError):
                # The process died (out of memory, killed); a new one gets one more try at it.
                self._drop()
                try:
                    good, answer = self._exchange(asked)
                except (EOFError, OSError):
                    self._drop()
                    good, answer = False, YardError("could not be rendered", where=asked.subject.name, remedy="Free some memory, try again")
            if good:
                future.set_result(answer)
            else:
                future.set_exception(answer)

    def _exchange(self, asked: Asked) -> tuple[bool, Any]:
        if self._pipe is None:
            self._start()
        assert self._pipe is not None
        self._pipe.send(asked)
        answer: tuple[bool, Any] = self._pipe.recv()
        return answer

    def _start(self) -> None:
        self._pipe, theirs = _CONTEXT.Pipe()
        self._process = _CONTEXT.Process(target=_serve, args=(theirs, self._files_url, self._warm), daemon=True)
        self._process.start()
        theirs.close()

    def _drop(self) -> None:
        if self._pipe is not None:
            self._pipe.close()
        if self._process is not None:
            self._process.kill()
            self._process.join(5)
        self._pipe = self._process = None


class Renderers:
    """All render processes.

    Parameters
    ----------
    files_url : str
        The file store.
    count : int
        Processes.
    warm : bool
        Whether they read in what the bench needs while nobody asks.
    """

    def __init__(self, files_url: str, count: int, warm: bool) -> None:
        self._renderers = [_Renderer(files_url, warm) for _ in range(count)]

    def close(self) -> None:
        for renderer in self._renderers:
            renderer.close()

    async def answer(self, asked: Asked, request: Request) -> Any:
        """The answer, or None if the page went away before its turn came."""
        future = self._renderers[zlib.crc32(asked.subject.digest.encode()) % len(self._renderers)].ask(asked)
        answered = asyncio.ensure_future(asyncio.wrap_future(future))
        gone = asyncio.create_task(_gone(request))
        try:
            await asyncio.wait({answered, gone}, return_when=asyncio.FIRST_COMPLETED)
            if answered.done():
                return answered.result()
            future.cancel()
            return None
        finally:
            gone.cancel()
            answered.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await gone


async def _gone(request: Request) -> None:
    while (await request.receive())["type"] != "http.disconnect":
        pass
