"""What a render process at the bench computes: tiles of a view, and the graph of Lift."""

import math
from dataclasses import replace
from typing import Any

import numpy as np

from yardchalk.core.cards import Card, filling, is_picture
from yardchalk.core.codecs import decode_photo, encode_tile
from yardchalk.core.colour import delta_e, to_lab
from yardchalk.core.errors import NotThere
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render import Decisions, Render, StageCache
from yardchalk.core.settings import EdgeMarks
from yardchalk.core.stages.balance import cast_of, gains_for, keeping_lightness, take_sample, to_temperature
from yardchalk.core.stages.frame import angle_of_base, angle_of_symmetry, crop_to_set
from yardchalk.core.views import EXACT, Behind, view
from yardchalk.store.files import FileStore
from yardchalk.studio.asking import (
    Asked,
    ColourAsked,
    DustAsked,
    EdgeAsked,
    FrameAsked,
    GraphAsked,
    IslandsAsked,
    MendsAsked,
    PixelAsked,
    PlacedAsked,
    SampleAsked,
    Subject,
    TileAsked,
)
from yardchalk.studio.clearing import answer_of_clearing
from yardchalk.studio.edging import report_on_edge
from yardchalk.studio.found import keep_decisions, known_decisions
from yardchalk.studio.mending import dust_left, report_on_colour, report_on_mends
from yardchalk.studio.placing import answer_of_placing
from yardchalk.studio.white_check import report_on_islands

TILE = 1024  # px; fewer and larger ones cost less than they take longer
STEP = math.sqrt(0.5)  # from a size to the next smaller one: at most twice as many px are rendered as the screen has
MOST_STEPS = 24


def scale_after(steps: int) -> float:
    """The scale of a photo that was made smaller by so many steps; exact where that is a half, a quarter …"""
    return 0.5 ** (steps // 2) * (STEP if steps % 2 else 1.0)


def steps_to_one_tile(longest: int) -> int:
    """By how many steps a photo whose longer side is so many px fits into one tile."""
    return next(steps for steps in range(MOST_STEPS + 1) if longest * scale_after(steps) <= TILE)


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
        """(bytes, media type) of a tile, or a dict of what was measured."""
        render = self._render(asked.subject)
        if isinstance(asked, FrameAsked):
            return _frame_offers(render)
        if not (isinstance(asked, TileAsked) and asked.view == "before"):
            # The photo as it came in is seen at once, whatever has to be decided of it first.
            render.adopt(self.cache.get((render.digest, "decided", render.clear_key, render.band_key), lambda: self._decide(render)))
        if isinstance(asked, GraphAsked):
            return _measured(render)
        if isinstance(asked, SampleAsked):
            return _sampled(render, asked.box)
        if isinstance(asked, PixelAsked):
            return self._pixel(render, asked)
        if isinstance(asked, EdgeAsked):
            return report_on_edge(render, asked.fringe_limit)
        if isinstance(asked, MendsAsked):
            return report_on_mends(render)
        if isinstance(asked, DustAsked):
            return dust_left(render)
        if isinstance(asked, ColourAsked):
            return report_on_colour(render)
        if isinstance(asked, IslandsAsked):
            return report_on_islands(render, asked.level)
        if isinstance(asked, PlacedAsked):
            return answer_of_placing(render, asked)
        if not isinstance(asked, TileAsked):
            return answer_of_clearing(render, asked)
        scale = scale_after(asked.steps)
        width, height = render.size_at(scale)
        left, up = asked.column * TILE, asked.row * TILE
        if left >= width or up >= height:
            raise NotThere("lies outside the photo", where=f"Tile {asked.column}, {asked.row}")
        region = Region(up, min(up + TILE, height), left, min(left + TILE, width))

        def tile() -> tuple[bytes, str]:
            behind = self._behind(asked.card, (width, height), region)
            return encode_tile(view(render, asked.view, scale, region, behind, asked.level), exact=_exact(asked))

        # Asking anew for a tile that was shown (a test card back and forth) costs nothing.
        return self.cache.get(("tile", asked), tile)

    def _pixel(self, render: Render, asked: PixelAsked) -> dict[str, Any]:
        region = _inside(render, (asked.x, asked.y, 1, 1))
        behind = self._behind(asked.card, render.size_at(1.0), region)
        before, after = (
            Picture(pixels).eight_bit().pixels[0, 0] for pixels in (render.part(1.0, region).pixels, render.picture(1.0, region, behind))
        )
        white = to_lab(np.full((1, 3), 255, np.uint8))
        off = [float(delta_e(to_lab(values[None]), white)[0]) for values in (before, after)]
        return {"before": before.tolist(), "after": after.tolist(), "before_off_white": off[0], "after_off_white": off[1]}

    def _behind(self, card: Card, size: tuple[int, int], region: Region) -> Behind:
        """The card; a region of the photo at that width and height where it is a picture."""
        if not is_picture(card):
            return card
        try:
            picture = self.cache.get((card, "card"), lambda: decode_photo(self.files.get(card), "The test card").eight_bit())
        except FileNotFoundError:
            raise NotThere("is not kept any more", where="The test card", remedy="Choose another") from None
        return filling(picture, *size, region)

    def _render(self, subject: Subject) -> Render:
        data = self.cache.get((subject.digest, "file"), lambda: self.files.get(subject.digest))
        empty = subject.empty and self.cache.get((subject.empty, "file"), lambda: self.files.get(subject.empty or ""))
        marks = subject.marks
        if marks.frame is None and subject.found is not None:
            # The one that the page draws places in; finding it again would take as long as a run.
            marks = marks.model_copy(update={"frame": subject.found})
        return Render(data, subject.name, subject.sheet, marks, cache=self.cache, digest=subject.digest, empty=empty or None)

    def _decide(self, render: Render) -> Decisions:
        known = known_decisions(self.files, render)
        last = (render.digest, "decided last", render.band_key)
        if known is None:
            if render.marks.clear is not None and (before := self.cache.peek(last)) is not None:
                render.start_from(before)
            known = replace(render.decisions, solution=render.solution)
            # What a person is still changing is not worth keeping; a run keeps it once it stands.
            if render.marks.clear is None and render.marks.edge == EdgeMarks():
                keep_decisions(self.files, render)
        self.cache.forget(last)
        return self.cache.get(last, lambda: known)


def _exact(asked: TileAsked) -> bool:
    return asked.view in EXACT


def _measured(render: Render) -> dict[str, Any]:
    light, gains = render.backdrop_light, render.gains
    temperature, tint = to_temperature(gains.red / gains.green, gains.blue / gains.green)
    lift = render.lift
    return {
        "graph": render.graph.model_dump(),
        "white_point": render.white_point,
        "tones": {"even": lift.even, "black_point": lift.black_point, "mid": lift.mid, "curve": lift.curve, "scope": lift.scope},
        "contours": render.decisions.backdrop.contours(),
        "backdrop_levels": render.decisions.backdrop.levels,
        "sure_of_backdrop": render.decisions.backdrop.ring_share,
        "balance": {
            "red": gains.red / gains.green,
            "blue": gains.blue / gains.green,
            "temperature": temperature,
            "tint": tint,
            "backdrop_red": gains_for(light)[0],
            "backdrop_blue": gains_for(light)[1],
            "cast_before": cast_of(light),
            "cast_after": cast_of(light, gains),
        },
    }


def _frame_offers(render: Render) -> dict[str, Any]:
    clearing = render.clearing
    symmetry = angle_of_symmetry(clearing.product)
    return {
        "crop_to_set": crop_to_set(clearing.surroundings, clearing.product),
        "crop_close": render.close_crop,
        "angle_of_base": angle_of_base(clearing.product),
        "angle_of_symmetry": None if symmetry is None else symmetry[0],
        "symmetry": None if symmetry is None else symmetry[1],
    }


def _inside(render: Render, box: tuple[int, int, int, int]) -> Region:
    x, y, w, h = box
    width, height = render.size_at(1.0)
    region = Region(max(y, 0), min(y + h, height), max(x, 0), min(x + w, width))
    if min(region.shape) < 1:
        raise NotThere("lies outside the photo", where=f"The place {x}, {y}")
    return region


def _sampled(render: Render, box: tuple[int, int, int, int]) -> dict[str, Any]:
    region = _inside(render, box)
    sample = take_sample(render.part(1.0, region).pixels)
    red, blue = gains_for(sample.light)
    temperature, tint = to_temperature(red, blue)
    levels = np.sort(render.before_lift(sample.light, region) * 255)
    return {
        "count": sample.count,
        "spread": sample.spread,
        "cast_before": sample.cast,
        "cast_now": cast_of(sample.light, render.gains),
        "cast_after": cast_of(sample.light, keeping_lightness(red, blue)),
        "red": red,
        "blue": blue,
        "temperature": temperature,
        "tint": tint,
        "white_point": int(np.clip(np.floor(levels[0]), 128, 255)),
        "black_point": int(np.clip(np.ceil(levels[-1]), 0, 100)),
    }
