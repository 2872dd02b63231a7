"""Balance and Lift: what they do to the light of the photo."""

import hashlib
from functools import cached_property
from typing import Any

import cv2
import numpy as np

from yardchalk.core.codecs import decode_photo, inspect_photo
from yardchalk.core.colour import Coded, Float, encode, to_log
from yardchalk.core.compose import mixed, toned
from yardchalk.core.errors import YardError
from yardchalk.core.pixels import Region
from yardchalk.core.render.edge import EdgedPhoto
from yardchalk.core.settings import LiftSettings
from yardchalk.core.stages.balance import Gains, cast_of, from_temperature, gains_for, keeping_lightness, lit_by_a_lamp
from yardchalk.core.stages.lift import GiveAndTake, Tone, evening_from_empty, evening_map, give_and_take, lift_mask, make_tone

_SHADE = 0.04  # log light below the backdrop model from which on a backdrop pixel lies in shadow


class TonedPhoto(EdgedPhoto):
    """With its tones."""

    @property
    def gains(self) -> Gains:
        """What Balance multiplies linear light by: the photo's own gains, or the run sheet's."""
        own = self.marks.balance or self.sheet.balance.light
        if own is not None:
            if own.red is not None and own.blue is not None:
                return keeping_lightness(own.red, own.blue)
            return keeping_lightness(*from_temperature(own.temperature or 6500, own.tint or 0))
        if self.sheet.balance.neutral == "backdrop":
            return keeping_lightness(*gains_for(self.backdrop_light))
        return Gains()

    @property
    def cast(self) -> float | None:
        """How far the backdrop is from neutral after Balance, ΔE00; None where it says nothing of the light: it has a colour of its
        own, or a person balanced by something else.
        """
        if (
            self.marks.balance is not None
            or self.sheet.balance.light is not None
            or not self.decisions.backdrop.support.any()
            or not lit_by_a_lamp(self.backdrop_light)
        ):
            return None
        return cast_of(self.backdrop_light, self.gains)

    @property
    def lift(self) -> LiftSettings:
        """What holds for this photo: the run sheet's tones with the photo's own in their place."""
        own = self.marks.lift.model_dump(exclude_none=True, exclude={"strokes"})
        return self.sheet.lift.model_copy(update=own) if own else self.sheet.lift

    @cached_property
    def _empty_digest(self) -> str | None:
        return None if self.empty is None else hashlib.sha256(self.empty).hexdigest()

    @property
    def tone_key(self) -> tuple[Any, ...]:
        """Stands for all that the toned and cut out picture hangs on."""
        return self.clear_key, self.edge_key, self.lift, self.marks.lift.strokes, self.gains, self.white_point, self._empty_digest

    @property
    def graph(self) -> GiveAndTake:
        """The give-and-take graph, after balancing and evening."""
        key = (self.digest, "graph", self.decisions.product_key, self.lift.on, self.lift.even, self.gains, self._empty_digest)
        return self.cache.get(key, self._measure)

    def _measure(self) -> GiveAndTake:
        product = self.decisions.product
        ratio = np.ones((5, 5), np.uint8)
        sure = cv2.erode(product.astype(np.uint8), ratio, iterations=2) > 0
        away = cv2.dilate(product.astype(np.uint8), ratio) == 0
        evening = self._evening
        h, w = product.shape
        lit = self.decisions.backdrop.log_light(w, h)[..., 1]
        shade = to_log(np.ascontiguousarray(self.analysis[..., 1])) - np.minimum(lit, 0)
        return give_and_take(self.analysis, sure, away, shade < -max(_SHADE, 4 * self.decisions.noise), evening, self.gains)

    @property
    def white_point(self) -> int:
        """The white point in force: the photo's own, the run sheet's, or the offered one."""
        lift = self.lift
        if not lift.on:
            return 255
        return self.graph.offer if lift.white_point == "auto" else lift.white_point

    @property
    def tone(self) -> Tone:
        """What Balance and Lift do to the photo."""
        key = (self.digest, "tone", self.lift, self.clear_key, self.gains, self.white_point, self._empty_digest)
        return self.cache.get(key, self._tone)

    def _tone(self) -> Tone:
        lift = self.lift
        if not lift.on:
            return make_tone(None, self.gains)
        return make_tone(self._evening, self.gains, white=self.white_point, black=lift.black_point, mid=lift.mid, curve=lift.curve)

    @property
    def balance_tone(self) -> Tone:
        """What Balance alone does."""
        return self.cache.get((self.digest, "balanced", self.gains), lambda: make_tone(None, self.gains))

    @property
    def product_tone(self) -> Tone:
        """What they do to the product: with Lift limited to the backdrop, its own tones stay and only Balance acts."""
        return self.tone if self.lift.scope == "photo" or not self.sheet.clear.on else self.balance_tone

    @property
    def lift_mask(self) -> Float | None:
        """Where Lift acts, 0..1, at low resolution over the frame; None if it is everywhere."""
        strokes, scope = self.marks.lift.strokes or (), self.lift.scope
        if not self.lift.on or (scope == "photo" and not strokes):
            return None
        key = (self.digest, "lift mask", self.clear_key, self.band_key, scope, strokes)
        return self.cache.get(key, lambda: lift_mask(self.solution.alpha, scope, strokes, self.framing))

    def lift_reach(self, scale: float, region: Region) -> Float:
        """How far Lift acts on each pixel of a region, 0..1: float32 (h, w)."""
        mask = self.lift_mask
        return np.ones(region.shape, np.float32) if mask is None else self._region_of(mask, scale, region)

    def before_lift(self, light: tuple[float, float, float], region: Region) -> Float:
        """Coded values (3,), 0..1, of a light of a full-size region when it reaches the white point: balanced and evened."""
        evening = self._evening
        factor = 1.0 if evening is None else float(make_tone(evening, Gains()).factors(self.size_at(1.0)[::-1], *region.index).mean())
        return encode(np.clip(np.array(light) * self.gains.array * factor, 0, 1))

    @property
    def _evening(self) -> Float | None:
        lift = self.lift
        if not lift.on or lift.even == 0:
            return None
        if self.empty is not None:
            key = (self.digest, "evening", lift.even, self._empty_digest)
            return self.cache.get(key, lambda: self._evening_from_empty(lift.even))
        return self.cache.get((self.digest, "evening", lift.even), lambda: evening_map(self.decisions.backdrop, lift.even))

    def _evening_from_empty(self, strength: float) -> Float:
        assert self.empty is not None
        facts = inspect_photo(self.empty, "The photo of the empty set", self.limits)
        if (facts.width, facts.height) != (self.facts.width, self.facts.height):
            raise YardError(
                f"has {facts.width} x {facts.height} px, but {self.name} has {self.facts.width} x {self.facts.height}",
                where="The photo of the empty set",
                remedy="Choose one from the same camera, or none",
            )
        empty = decode_photo(self.empty, "The photo of the empty set", self.limits, 640)
        return evening_from_empty(self.framing.apply(empty).pixels, strength)

    def _factors(self, tone: Tone, scale: float, region: Region) -> Float:
        width, height = self.size_at(scale)
        return tone.factors((height, width), *region.index)

    def toned(self, scale: float, region: Region) -> Coded:
        """The balanced and lifted photo, not cut out: coded, the dtype of the photo."""
        pixels = self.part(scale, region).pixels
        lifted = toned(pixels, self._factors(self.tone, scale, region), self.tone)
        mask = self.lift_mask
        if mask is None:
            return lifted
        return mixed(lifted, toned(pixels, np.ones((1, 1), np.float32), self.balance_tone), self._region_of(mask, scale, region))
