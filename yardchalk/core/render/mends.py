"""The mends in force, and what they changed."""

import hashlib
from collections.abc import Callable
from functools import cached_property
from typing import Any, TypeVar

import numpy as np

from yardchalk.core.colour import Coded, Float, Mask, to_linear
from yardchalk.core.compose import lit, mixed_band, toned
from yardchalk.core.mend_settings import MOST_MENDS, AnyMend
from yardchalk.core.pixels import Region
from yardchalk.core.render.tones import TonedPhoto
from yardchalk.core.stages.mend.dust import Speck, find_dust
from yardchalk.core.stages.mend.layer import Layer
from yardchalk.core.stages.mend.mender import Mender, Traces
from yardchalk.core.stages.plot import Plot

_LAST = 4  # mends that are done anew on what was shown before them
T = TypeVar("T")


class MendedPhoto(TonedPhoto):
    """With its mends."""

    @cached_property
    def mends(self) -> tuple[AnyMend, ...]:
        """The mends in force, in order: dust that was found, if that is asked for, and the photo's own."""
        own = tuple(mend for mend in self.marks.mend.entries if mend.on)
        wanted = self.sheet.mend.dust if self.marks.mend.dust is None else self.marks.mend.dust
        return (*self._dust_mends()[: MOST_MENDS - len(own)], *own) if wanted else own

    @cached_property
    def mended_key(self) -> tuple[Any, ...]:
        """Stands for all that coverage hangs on besides the framed photo."""
        return (self.tone_key, self._mend_keys[-1]) if self.mends else (self.clear_key, self.edge_key)

    @cached_property
    def _mend_keys(self) -> list[str]:
        """Stand for the first mend, the first two, and so on."""
        so_far, out = hashlib.sha256(), []
        for mend in self.mends:
            so_far.update(mend.model_dump_json(exclude={"name"}).encode())
            out.append(so_far.hexdigest())
        return out

    @property
    def dust(self) -> list[Speck]:
        """Specks on the backdrop and on the product, the surest first, in the picture before any mend."""
        return self.cache.get((self.digest, "dust", self.tone_key), self._find_dust)

    def _find_dust(self) -> list[Speck]:
        whole = self.whole(1.0)
        small = self._before_mends(self.analysis_scale, self.whole(self.analysis_scale))

        def lifted(region: Region) -> Coded:
            return np.ascontiguousarray(self.toned(1.0, region))

        plot = Plot.of(self.framing, *self.size_at(1.0))
        shown = lifted if self.lift.on or not self.gains.none else None
        return find_dust(self.part(1.0, whole).pixels, shown, small.cut.alpha, self.clearing.surroundings, plot)

    def _dust_mends(self) -> tuple[AnyMend, ...]:
        return tuple(speck.mend for speck in self.dust if speck.on == "backdrop")

    @cached_property
    def mender(self) -> Mender:
        """The mends in force, at work."""

        def keep(key: tuple[Any, ...], compute: Callable[[], Any]) -> Any:
            return self.cache.get((self.digest, "mend", self.tone_key, *key), compute)

        return Mender(
            self.mends,
            self.size_at,
            lambda scale: Plot.of(self.framing, *self.size_at(scale)),
            self._before_mends,
            self._original,
            keep,
        )

    def _before_mends(self, scale: float, region: Region) -> Layer:
        """The toned picture and its matte; not to be changed."""
        cut = self.cut(scale, region)
        mask = self.lift_mask
        if mask is None or not self.lift.on or not self.marks.lift.strokes:
            tone, pixels = self.product_tone, self.part(scale, region).pixels
            factors = self._factors(tone, scale, region)
            return Layer(toned(pixels, factors, tone), lit(cut, factors, tone))
        here = self._region_of(mask, scale, region)
        return Layer(
            self.toned(scale, region), mixed_band(cut, self._factors(self.tone, scale, region), self.tone, self.balance_tone, here)
        )

    def _original(self, tones: str, scale: float, region: Region) -> Float:
        """Linear light of a region: as it came in, or balanced."""
        pixels = self.part(scale, region).pixels
        return to_linear(pixels if tones == "as-shot" else toned(pixels, np.ones((1, 1), np.float32), self.balance_tone))

    def mended(self, scale: float, region: Region) -> Layer:
        """The toned region with all mends done, before Colour."""
        if not self.mends:
            return self._before_mends(scale, region)
        if scale == self.analysis_scale and region == self.whole(scale):
            return self.traces.layer
        width, height = self.size_at(scale)

        def add(begun: tuple[Layer, int] | None) -> Layer:
            return self.mender.layer(scale, region, begun=begun)

        return self._gone_on(("mended", width, height, region), add)

    def _gone_on(self, key: tuple[Any, ...], add: Callable[[tuple[T, int] | None], T]) -> T:
        """What hangs on the mends in force. A person adds mend after mend: what is kept of before the last few is gone on from."""

        def keyed(done: int) -> tuple[Any, ...]:
            return self.digest, self.tone_key, self._mend_keys[done - 1], *key

        def compute() -> T:
            for done in range(len(self.mends) - 1, max(0, len(self.mends) - _LAST), -1):
                before = self.cache.peek(keyed(done))
                if before is not None:
                    return add((before, done))
            return add(None)

        return self.cache.get(keyed(len(self.mends)), compute)

    def coverage(self, scale: float, region: Region) -> Float:
        """By the finished product, mends included: float32 (h, w)."""
        return self.mended(scale, region).cut.alpha if self.mends else self.cut(scale, region).alpha

    @property
    def traces(self) -> Traces:
        """What the mends in force did, on the analysis picture."""
        return self._gone_on(("traces",), lambda begun: self.mender.traces(self.analysis_scale, begun))

    @property
    def touched_shares(self) -> list[float]:
        """What share of the product each of the mends in force changed, 0..1."""
        return self.cache.get((self.digest, "touched", self.mended_key), self._measure_touched) if self.mends else []

    def _measure_touched(self) -> list[float]:
        scale = self.analysis_scale
        whole = self.whole(scale)
        product = np.maximum(self.cut(scale, whole).alpha, self.coverage(scale, whole))
        return self.traces.shares(product, len(self.mends))

    @property
    def touched_at_all(self) -> Mask | None:
        """Where any mend changed something, on the analysis picture; None without mends."""
        return self.traces.where() if self.mends else None

    @property
    def touched_share(self) -> float:
        """Of the product, 0..1, by all mends together."""
        where = self.touched_at_all
        alpha = self.coverage(self.analysis_scale, self.whole(self.analysis_scale))
        return 0.0 if where is None else float(alpha[where].sum()) / max(float(alpha.sum()), 1.0)
