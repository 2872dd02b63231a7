"""The list of mends at work: each on the region that is asked for, sampling what those before it left.

A region pulls what it needs: a clone its source, a push what it takes its picture from, a fill its surroundings at the size
at which it is decided. So a tile is exactly a piece of the whole, and an entry that is switched off was never there.
"""

import hashlib
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yardchalk.core.colour import Float, Mask, to_linear
from yardchalk.core.mend_settings import AnyMend, CloneMend, CoverMend, FillMend, NudgeMend, PushMend, RestoreMend
from yardchalk.core.pixels import Region
from yardchalk.core.stages.mend.area import bounds, weight
from yardchalk.core.stages.mend.fill import Fill, at_size, decided_scale, fill, surroundings
from yardchalk.core.stages.mend.layer import Layer, Piece, blended, differs, laid_over, sampled
from yardchalk.core.stages.mend.moved import clone_map, mapped, nudge_map, push_map, reach_of_push
from yardchalk.core.stages.plot import Plot

_ACTS = 1 / 512  # weight under which a mend does nothing
_STILL = 1 / 64  # px under which nothing is pushed
_ROUND = 5  # px round places that are sampled, for the kernel


@dataclass(frozen=True)
class _Step:
    """What an entry comes to; a nudge is a fill of its place, and then the piece, as it was before that, laid down."""

    entry: int
    mend: AnyMend
    sees: int  # how many steps are done in what it samples


@dataclass(frozen=True)
class Traces:
    """What mends did to a whole picture.

    Attributes
    ----------
    layer : after them all.
    places : of each step in order the number of its entry, a box, and where in it the step acted.
    """

    layer: Layer
    places: tuple[tuple[int, Region, Mask], ...]

    def shares(self, product: Float, entries: int) -> list[float]:
        """What share of a product with this coverage each of so many entries acted on, 0..1."""
        total = max(float(product.sum()), 1.0)
        out = [0.0] * entries
        steps = Counter(number for number, _, _ in self.places)
        for number, box, mask in self.places:
            # Where a piece was and where it lies now may overlap.
            there = product[box.index][mask] if steps[number] == 1 else product[self.where(number)]
            out[number] = float(there.sum()) / total
        return out

    def where(self, entry: int | None = None) -> Mask:
        """Where an entry acted, or any of them: bool, shape of the picture."""
        out = np.zeros(self.layer.shape, bool)
        for number, box, mask in self.places:
            if entry is None or number == entry:
                out[box.index] |= mask
        return out


class Mender:
    """Mends on one photo.

    Parameters
    ----------
    entries : those that are on, in order.
    size_at : width and height of the framed photo at a scale, px.
    plot_at : places on it.
    base : a region at a scale before any mend.
    original : a region's pixels as shot and balanced (linear light) by the name of the tones.
    keep : results by a key, computed if they are not there.
    """

    def __init__(
        self,
        entries: Sequence[AnyMend],
        size_at: Callable[[float], tuple[int, int]],
        plot_at: Callable[[float], Plot],
        base: Callable[[float, Region], Layer],
        original: Callable[[str, float, Region], Float],
        keep: Callable[[tuple[Any, ...], Callable[[], Any]], Any],
    ) -> None:
        self._size_at, self._plot_at, self._base, self._original, self._keep = size_at, plot_at, base, original, keep
        self.steps: list[_Step] = []
        for number, mend in enumerate(entries):
            if isinstance(mend, NudgeMend):
                if mend.still:
                    continue
                gap = FillMend(kind="fill", area=mend.area, softness=mend.softness, attempt=mend.attempt)
                self.steps.append(_Step(number, gap, len(self.steps)))
                self.steps.append(_Step(number, mend, len(self.steps) - 1))
            else:
                self.steps.append(_Step(number, mend, len(self.steps)))
        self._boxes: dict[tuple[int, float], Region | None] = {}

    def layer(self, scale: float, region: Region, upto: int | None = None, begun: tuple[Layer, int] | None = None) -> Layer:
        """A region with the steps done, or so many of them; from the region with the first so many entries done, if that is there."""
        return self._done(scale, region, len(self.steps) if upto is None else upto, lambda *_: None, begun)

    def traces(self, scale: float, begun: tuple[Traces, int] | None = None) -> Traces:
        """What the entries did to the whole picture at a scale; from what the first so many did, if that is there."""
        width, height = self._size_at(scale)
        places = [] if begun is None else list(begun[0].places)

        def note(number: int, here: Region, was: Piece, now: Piece, changed: Mask) -> None:
            step = self.steps[number]
            # What is taken from elsewhere is not the photo's any more, also where it happens to look the same.
            own = isinstance(step.mend, CoverMend | RestoreMend)
            places.append((step.entry, here, differs(was, now) if own else changed))

        before = None if begun is None else (begun[0].layer, begun[1])
        layer = self._done(scale, Region(0, height, 0, width), len(self.steps), note, before)
        return Traces(layer, tuple(places))

    def _done(
        self,
        scale: float,
        region: Region,
        upto: int,
        note: Callable[[int, Region, Piece, Piece, Mask], None],
        begun: tuple[Layer, int] | None = None,
    ) -> Layer:
        layer, entries = (self._base(scale, region), 0) if begun is None else begun
        own = False
        whole: Layer | None = None
        for number, step in enumerate(self.steps[:upto]):
            if step.entry < entries:
                continue
            if number + 1 < len(self.steps) and self.steps[number + 1].sees == number:
                # A piece is lifted before its gap is filled.
                whole = layer.copy()
            box = self._box(number, scale)
            here = None if box is None else box.common(region)
            if here is None:
                continue
            if not own:
                layer, own = layer.copy(), True
            before = layer.part(here.within(region)).piece()
            made = self._made(number, step, scale, here, before, layer, region, layer if step.sees == number else whole)
            if made is None:
                continue
            after, changed = made
            note(number, here, before, after, changed)
            layer.put(here.within(region), after, changed)
        return layer

    def _box(self, number: int, scale: float) -> Region | None:
        """What a step may change, px of the whole picture at a scale."""
        key = (number, scale)
        if key not in self._boxes:
            self._boxes[key] = self._bounded(self._bounds(self.steps[number].mend, self._plot_at(scale)), scale)
        return self._boxes[key]

    def _bounds(self, mend: AnyMend, plot: Plot) -> tuple[float, float, float, float] | None:
        if isinstance(mend, PushMend):
            return reach_of_push(mend, plot)
        found = bounds(mend.area, mend.softness, plot)
        if not isinstance(mend, NudgeMend):
            return found
        # Where the piece comes to lie.
        move = nudge_map(mend, plot)
        back = np.linalg.inv(move[:, :2])
        corners = np.array([(x, y) for x in found[::2] for y in found[1::2]])
        laid = (corners - move[:, 2]) @ back.T
        (left, top), (right, bottom) = laid.min(0), laid.max(0)
        return float(left), float(top), float(right), float(bottom)

    def _bounded(self, box: tuple[float, float, float, float] | None, scale: float, margin: int = 1) -> Region | None:
        if box is None:
            return None
        width, height = self._size_at(scale)
        left, top, right, bottom = box
        wide = Region(
            int(np.floor(top)) - margin, int(np.ceil(bottom)) + margin, int(np.floor(left)) - margin, int(np.ceil(right)) + margin
        )
        return wide.common(Region(0, height, 0, width))

    def _made(
        self, number: int, step: _Step, scale: float, here: Region, before: Piece, layer: Layer, region: Region, sampling: Layer | None
    ) -> tuple[Piece, Mask] | None:
        """The region with the step done, and which pixels it changed; `sampling` is the region as the step samples it, if that is there."""
        mend, plot = step.mend, self._plot_at(scale)

        def pulled(x: Float, y: Float) -> Piece | None:
            """What the step samples, at places of the whole picture."""
            source = self._bounded((float(x.min()), float(y.min()), float(x.max()) + 1, float(y.max()) + 1), scale, _ROUND)
            if source is None:
                return None
            if sampling is not None and region.holds(source):
                seen = sampling.part(source.within(region))
            else:
                seen = self.layer(scale, source, step.sees)
            return sampled(seen.piece(), x - np.float32(source.left), y - np.float32(source.top))

        if isinstance(mend, PushMend):
            dx, dy = push_map(mend, plot, here.index)
            rows, columns = here.index
            x = np.arange(columns.start, columns.stop, dtype=np.float32)[None] + dx
            y = np.arange(rows.start, rows.stop, dtype=np.float32)[:, None] + dy
            found = pulled(x, y)
            moved: Mask = (np.abs(dx) > _STILL) | (np.abs(dy) > _STILL)
            return None if found is None else (found, moved)
        if isinstance(mend, NudgeMend):
            return self._laid(mend, scale, here, before, pulled)
        share = weight(mend.area, mend.softness, plot, here.index) * np.float32(mend.strength)
        if isinstance(mend, CloneMend):
            x, y = mapped(clone_map(mend, plot), here.index)
            width, height = self._size_at(scale)
            share[(x < 0) | (y < 0) | (x > width - 1) | (y > height - 1)] = 0
            found = pulled(x, y)
        elif isinstance(mend, FillMend):
            found = self._filled(number, scale, here, before)
        elif isinstance(mend, CoverMend):
            found = Piece(before.colour, np.zeros_like(before.alpha)) if mend.to == "backdrop" else self._as_product(layer, here, region)
        else:
            found = self._restored(mend, scale, here, before, layer, region)
        return None if found is None else (blended(before, found, share), share > _ACTS)

    @staticmethod
    def _as_product(layer: Layer, here: Region, region: Region) -> Piece:
        at = here.within(region)
        colour = to_linear(np.ascontiguousarray(layer.pixels[at]))
        return Piece(colour, np.ones(here.shape, np.float32))

    def _restored(self, mend: RestoreMend, scale: float, here: Region, before: Piece, layer: Layer, region: Region) -> Piece:
        if mend.tones == "kept":
            found = self._as_product(layer, here, region).colour
        else:
            found = self._original(mend.tones, scale, here)
        if mend.coverage:
            return Piece(found, np.ones_like(before.alpha))
        # On the border the photo's own pixels hold the backdrop's colour too.
        return Piece(np.where(before.alpha[..., None] < 1, before.colour, found), before.alpha)

    def _laid(
        self, mend: NudgeMend, scale: float, here: Region, before: Piece, pulled: Callable[[Float, Float], Piece | None]
    ) -> tuple[Piece, Mask] | None:
        plot = self._plot_at(scale)
        x, y = mapped(nudge_map(mend, plot), here.index)
        found = pulled(x, y)
        source = self._bounded((float(x.min()), float(y.min()), float(x.max()) + 1, float(y.max()) + 1), scale, _ROUND)
        if found is None or source is None:
            return None
        loop = weight(mend.area, mend.softness, plot, source.index)
        x0, y0 = x - np.float32(source.left), y - np.float32(source.top)
        share = sampled(Piece(np.zeros((*loop.shape, 3), np.float32), loop), x0, y0).alpha
        share[(x0 < -0.5) | (y0 < -0.5) | (x0 > loop.shape[1] - 0.5) | (y0 > loop.shape[0] - 0.5)] = 0
        return laid_over(before, found, share), share > _ACTS

    def _filled(self, number: int, scale: float, here: Region, before: Piece) -> Piece:
        made: Fill = self._keep(("fill", self._key(number)), lambda: self._decide(number))
        (wide, tall), (w, h) = self._size_at(made.scale), self._size_at(scale)
        ratio = (wide / w, tall / h)
        detail = None
        if scale > made.scale and made.source is not None:
            detail = self._keep(("detail", self._key(number), scale), lambda: self._window_at(number, made, scale, ratio))
        return at_size(made, scale, here.top, here.left, before, ratio, detail)

    def _decide(self, number: int) -> Fill:
        mend = self.steps[number].mend
        assert isinstance(mend, FillMend)
        left, top, right, bottom = bounds(mend.area, mend.softness, self._plot_at(1.0))
        scale = decided_scale(max(right - left, bottom - top))
        around = surroundings(max(right - left, bottom - top) * scale)
        box = bounds(mend.area, mend.softness, self._plot_at(scale))
        window = self._bounded(box, scale, around)
        if window is None:
            nothing = Piece(np.zeros((1, 1, 3), np.float32), np.zeros((1, 1), np.float32))
            return Fill(scale, 0, 0, nothing, nothing, np.zeros((1, 1), bool), None)
        before = self.layer(scale, window, number).piece()
        hole = weight(mend.area, mend.softness, self._plot_at(scale), window.index) > _ACTS
        after, source = fill(before, hole, mend.by, mend.attempt)
        return Fill(scale, window.top, window.left, before, after, hole, source)

    def _window_at(self, number: int, made: Fill, scale: float, ratio: tuple[float, float]) -> Piece:
        """The window of a fill at a larger size."""
        h, w = made.hole.shape
        width, height = self._size_at(scale)
        left, top = round(made.left / ratio[0]), round(made.top / ratio[1])
        right, bottom = min(width, round((made.left + w) / ratio[0])), min(height, round((made.top + h) / ratio[1]))
        return self.layer(scale, Region(top, bottom, left, right), number).piece()

    def _key(self, number: int) -> str:
        """Stands for a fill: its own settings and those before it that may be seen in its surroundings."""
        return self._keys[number]

    @cached_property
    def _keys(self) -> list[str]:
        out = []
        boxes = [self._seen_box(i) for i in range(len(self.steps))]
        for i, step in enumerate(self.steps):
            seen, counts = [boxes[i]], [step.mend.model_dump_json(exclude={"name"})]
            for j in range(i - 1, -1, -1):
                if any(_meet(boxes[j], box) for box in seen):
                    seen.append(boxes[j])
                    counts.append(self.steps[j].mend.model_dump_json(exclude={"name"}))
            out.append(hashlib.sha256("\n".join(counts).encode()).hexdigest())
        return out

    def _seen_box(self, number: int) -> tuple[float, float, float, float]:
        """All that a step changes or looks at, px of the whole photo."""
        step = self.steps[number]
        plot = self._plot_at(1.0)
        if isinstance(step.mend, PushMend):
            return 0.0, 0.0, float(plot.width), float(plot.height)
        own = bounds(step.mend.area, step.mend.softness, plot)
        boxes = [own, self._bounds(step.mend, plot) or own]
        if isinstance(step.mend, FillMend):
            side = max(own[2] - own[0], own[3] - own[1])
            m = surroundings(side * decided_scale(side)) / decided_scale(side)
            boxes.append((own[0] - m, own[1] - m, own[2] + m, own[3] + m))
        if isinstance(step.mend, CloneMend):
            move = clone_map(step.mend, plot)
            corners = np.array([(x, y) for x in own[::2] for y in own[1::2]]) @ move[:, :2].T + move[:, 2]
            boxes.append((*corners.min(0), *corners.max(0)))
        lefts, tops, rights, bottoms = zip(*boxes, strict=True)
        return min(lefts), min(tops), max(rights), max(bottoms)


def _meet(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    return a[0] < b[2] + _ROUND and b[0] < a[2] + _ROUND and a[1] < b[3] + _ROUND and b[1] < a[3] + _ROUND
