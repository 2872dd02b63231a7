"""The finished picture: mended, coloured, with its shadow, on a card or cut out."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.cards import Card, card_at
from yardchalk.core.colour import Coded, Float
from yardchalk.core.colour_settings import ColourSettings
from yardchalk.core.compose import cut_out, on_card
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render.mends import MendedPhoto
from yardchalk.core.stages.balance import Gains
from yardchalk.core.stages.colour import Shifted, coloured, coloured_light, shifted
from yardchalk.core.stages.edge.matte import Cutout
from yardchalk.core.stages.edge.shadow import drawn_shadow, kept_shadow, shaded
from yardchalk.core.stages.lift import Tone, make_tone
from yardchalk.core.stages.place import product_box


class Render(MendedPhoto):
    """One photo under one run sheet.

    Parameters
    ----------
    data : bytes
        The original file.
    name : str
        What to call it in messages.
    sheet, marks :
        The settings.
    cache : StageCache, optional
        Shared between renders; a cache of its own by default.
    empty : bytes, optional
        A photo file of the empty set from the same camera place, whose light is evened out in place of the model's.
    """

    @property
    def colour(self) -> ColourSettings:
        """What holds for this photo's colours."""
        return self.marks.colour.over(self.sheet.colour)

    @property
    def shifted(self) -> Shifted | None:
        """What Colour did to the product; None if it does nothing."""
        if self.colour.plain:
            return None
        return self.cache.get((self.digest, "shifted", self.tone_key, self.mended_key, self.colour), self._measure_colour)

    def _measure_colour(self) -> Shifted:
        layer = self.mended(self.analysis_scale, self.whole(self.analysis_scale))
        return shifted(Picture(layer.pixels).eight_bit().pixels.astype(np.uint8, copy=False), layer.cut.alpha, self.colour)

    @property
    def shadow(self) -> Float | None:
        """The shadow layer's opacity on the analysis picture; None if there is none."""
        edge = self.edge
        if edge.shadow == "drop" or not edge.shadow_strength:
            return None
        key = (self.digest, "shadow", self.mended_key, edge.shadow, edge.shadow_strength, edge.shadow_softness)
        return self.cache.get(key, self._find_shadow)

    def _find_shadow(self) -> Float:
        edge, scale = self.edge, self.analysis_scale
        alpha = self.coverage(scale, self.whole(scale))
        if edge.shadow == "draw":
            return drawn_shadow(alpha, edge.shadow_strength, self.length(edge.shadow_softness, scale))
        h, w = alpha.shape
        d = self.decisions
        return kept_shadow(self.analysis, alpha, d.backdrop.light(w, h), d.noise, edge.shadow_strength)

    def shadow_of(self, scale: float, region: Region) -> Float | None:
        """The shadow layer's opacity on a region at a scale, float32 (h, w); None if there is none."""
        small = self.shadow
        return None if small is None else self._region_of(small, scale, region)

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the visible product as shares of the frame."""
        return self.cache.get((self.digest, "box", self.mended_key), self._find_box)

    def _find_box(self) -> tuple[float, float, float, float]:
        return product_box(self.coverage(self.analysis_scale, self.whole(self.analysis_scale)))

    def picture(self, scale: float, region: Region, card: Card | NDArray[np.uint8] = "white") -> Coded:
        """The finished region on a card, mixed in linear light; exactly the card where the product covers nothing.

        Any other card is uint8 (h, w, 3), of the region's size, or (1, 1, 3) for one colour.
        """
        return on_card(*self._product(scale, region), card if isinstance(card, np.ndarray) else card_at(card, region))

    def cutout(self, scale: float, region: Region) -> Coded:
        """The finished region as straight RGBA, coded; edges page-true if the run sheet says so."""
        return cut_out(*self._product(scale, region), for_pages=self.edge.page_true)

    def _product(self, scale: float, region: Region) -> tuple[Coded, Float, Tone, Cutout]:
        """Pixels, factors on their light, the tone they are still to get, and the matte."""
        shadow = self.shadow_of(scale, region)
        strokes = self.lift_mask is not None and self.lift.on and bool(self.marks.lift.strokes)
        if not (strokes or self.mends) and self.colour.plain:
            cut, tone = self.cut(scale, region), self.product_tone
            cut = cut if shadow is None else shaded(cut, shadow)
            return self.part(scale, region).pixels, self._factors(tone, scale, region), tone, cut
        layer = self.mended(scale, region)
        cut = replace(layer.cut, colour=coloured_light(layer.cut.colour, self.colour))
        cut = cut if shadow is None else shaded(cut, shadow)
        return coloured(layer.pixels, self.colour), np.ones((1, 1), np.float32), make_tone(None, Gains()), cut
