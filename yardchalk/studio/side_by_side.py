"""Work in as many processes as there are workers, of which one may end in the middle of it."""

import multiprocessing
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

Done = TypeVar("Done")


def side_by_side(
    work: Callable[..., Done], jobs: list[tuple[Any, ...]], workers: int, *, start: Callable[[], None], ended: Callable[..., Done]
) -> Iterator[tuple[int, Done]]:
    """Each job's number and what `work(*job)` made of it, in the order in which they are done.

    What was in hand when a process ended, as one does that the system kills for want of memory, is done again, each job alone; if its
    process ends then too, `ended(*job)` stands for it. The other jobs go on. `start` is called first in each process.
    """
    waiting = deque(range(len(jobs)))
    while waiting:
        in_hand: dict[Future[Done], int] = {}
        try:
            with _processes(min(workers, len(waiting)), start) as pool:
                while waiting or in_hand:
                    # No more than can be worked on, so that what was in hand is known.
                    while waiting and len(in_hand) < workers:
                        # Taken off only when it is: a pool that has broken takes nothing.
                        in_hand[pool.submit(work, *jobs[waiting[0]])] = waiting[0]
                        waiting.popleft()
                    for future in wait(in_hand, return_when=FIRST_COMPLETED).done:
                        done = future.result()
                        yield in_hand.pop(future), done
        except BrokenProcessPool:
            for future, number in in_hand.items():
                # Some may have been done just before.
                yield number, _alone(work, jobs[number], start, ended) if future.exception() else future.result()


def _alone(work: Callable[..., Done], job: tuple[Any, ...], start: Callable[[], None], ended: Callable[..., Done]) -> Done:
    try:
        with _processes(1, start) as pool:
            return pool.submit(work, *job).result()
    except BrokenProcessPool:
        return ended(*job)


def _processes(count: int, start: Callable[[], None]) -> ProcessPoolExecutor:
    return ProcessPoolExecutor(count, mp_context=multiprocessing.get_context("spawn"), initializer=start)
