"""What a render process at the bench computes: tiles of a view, and the graph of Lift."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from yardchalk.core.codecs import encode_tile
from yardchalk.core.errors import NotThere
from yardchalk.core.render import Card, Region, Render, StageCache
from yardchalk.core.settings import Marks, RunSheet
from yardchalk.core.views import EXACT, View, view
from yardchalk.store.files import FileStore
from yardchalk.studio.running import keep_decisions, known_decisions

TILE = 1024  # px; fewer and larger ones cost less than they take longer


@dataclass(frozen=True)
class Subject:
    """A photo under settings: all that a tile hangs on."""

    digest: str
    name: str
    sheet: RunSheet
    marks: Marks


@dataclass(frozen=True)
class TileAsked:
    """One tile: `halvings` of the photo's size, and its column and row in tiles of 1,024 px."""

    subject: Subject
    view: View
    card: Card
    halvings: int
    column: int
    row: int


@dataclass(frozen=True)
class GraphAsked:
    """The give-and-take graph of a photo."""

    subject: Subject


Asked = TileAsked | GraphAsked


class Viewing:
    """Keeps the photos in hand decoded and decided, and answers what is asked of them.

    Parameters
    ----------
    files : where the originals and kept decisions are.
    max_bytes : int
        What the cache of stages may hold.
    """

    def __init__(self, files: FileStore, max_bytes: int = 700_000_000) -> None:
        self.files = files
        self.cache = StageCache(max_bytes)

    def answer(self, asked: Asked) -> Any:
        """(bytes, media type) of a tile, or the graph as a dict."""
        render = self._render(asked.subject)
        if isinstance(asked, GraphAsked):
            return {
                "graph": render.graph.model_dump(),
                "white_point": render.white_point,
                "backdrop_levels": render.decisions.backdrop.levels,
                "sure_of_backdrop": render.decisions.backdrop.ring_share,
            }
        scale = 0.5**asked.halvings
        width, height = render.size_at(scale)
        left, up = asked.column * TILE, asked.row * TILE
        if left >= width or up >= height:
            raise NotThere("lies outside the photo", where=f"Tile {asked.column}, {asked.row}")
        region = Region(up, min(up + TILE, height), left, min(left + TILE, width))
        # Asking anew for a tile that was shown (a test card back and forth) costs nothing.
        return self.cache.get(
            ("tile", asked),
            lambda: encode_tile(view(render, asked.view, scale, region, asked.card), exact=_exact(asked)),
        )

    def _render(self, subject: Subject) -> Render:
        data = self.cache.get((subject.digest, "file"), lambda: self.files.get(subject.digest))
        key = (subject.digest, "decided", subject.sheet.clear)
        decided = self.cache.get(key, self._decide(subject, data))
        return Render(data, subject.name, subject.sheet, subject.marks, cache=self.cache, decided=decided, digest=subject.digest)

    def _decide(self, subject: Subject, data: bytes) -> Callable[[], Any]:
        def decide() -> Any:
            known = known_decisions(self.files, subject.digest, subject.sheet)
            if known is None:
                render = Render(data, subject.name, subject.sheet, cache=self.cache, digest=subject.digest)
                known = replace(render.decisions, solution=render.solution)
                keep_decisions(self.files, subject.digest, subject.sheet, known, render.solution)
            return known

        return decide


def _exact(asked: TileAsked) -> bool:
    return asked.view in EXACT
