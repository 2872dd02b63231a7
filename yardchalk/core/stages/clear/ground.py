"""What regions are decided on: the analysis picture, its colours, and what is known of the backdrop."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask, to_linear
from yardchalk.core.stages.clear.automatic import Clearing
from yardchalk.core.stages.clear.borders import within_flank
from yardchalk.core.stages.clear.evidence import Evidence
from yardchalk.core.stages.clear.one_ink import Ink, one_ink
from yardchalk.core.stages.plot import Plot

T = TypeVar("T")
_KEPT = 250
_TRUST = 0.6  # share of the frame's ring that the backdrop model must explain for what hangs on it to have a say
_SMOOTH = 1.0  # px; the noise of single pixels is no difference in colour


@dataclass(frozen=True)
class Ground:
    """The analysis picture and what is known of it; what takes long is found when it is first asked for.

    Attributes
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture.
    backdrop : the backdrop model.
    plot : puts places of the upright photo on it.
    bars : bool, shape (h, w)
        Bars along the frame, over which the picture is painted; None if there are none.
    """

    pixels: NDArray[np.uint8]
    backdrop: BackdropModel
    plot: Plot
    _evidence: Callable[[], Evidence]
    _clearing: Callable[[], Clearing]
    bars: Mask | None = None

    _found: dict[Any, Any] = field(default_factory=dict)

    def kept(self, key: Any, find: Callable[[], T]) -> T:
        """What was found before under a key that says all it hangs on, or what is found now."""
        if key not in self._found:
            if len(self._found) >= _KEPT:
                self._found.clear()
            self._found[key] = find()
        found: T = self._found[key]
        return found

    def kept_masks(self, key: Any, find: Callable[[], tuple[Mask, ...]]) -> tuple[Mask, ...]:
        """The same of masks (h, w), as bits meanwhile."""
        kept = self.kept(key, lambda: tuple(np.packbits(mask) for mask in find()))
        h, w = self.shape
        return tuple(np.unpackbits(bits, count=h * w).view(bool).reshape(h, w) for bits in kept)

    @property
    def shape(self) -> tuple[int, int]:
        return self.plot.height, self.plot.width

    @property
    def one_ink(self) -> Ink | None:
        """What the one ink takes of the paper's light, if the photo is a print in one: see `one_ink`."""
        return self.kept("one ink", self._one_ink)

    def _one_ink(self) -> Ink | None:
        cleared = self.clearing
        # Bars are painted over with what lies beside them.
        elsewhere = cleared.surroundings if self.bars is None else cleared.surroundings & ~self.bars
        return one_ink(self.pixels, self.backdrop, self.evidence.features[..., 0], cleared.product, elsewhere)

    @property
    def trusted(self) -> bool:
        """Whether the backdrop model explains enough of the frame's ring that automatic clearing is to be believed."""
        return self.backdrop.ring_share > _TRUST

    @property
    def evidence(self) -> Evidence:
        return self._evidence()

    @property
    def clearing(self) -> Clearing:
        """What automatic clearing finds."""
        return self._clearing()

    @cached_property
    def cleared(self) -> Mask:
        """The product that it finds, bool (h, w), within the flank of its border."""
        return within_flank(self.clearing.product)

    @cached_property
    def lab(self) -> Float:
        """CIELAB (D65) of the picture, lightly smoothed: float32 (h, w, 3)."""
        return _lab(to_linear(self.pixels))

    @cached_property
    def evened_lab(self) -> Float:
        """The same of the picture evened by the backdrop model, as bright on the whole as it was."""
        light = self.backdrop.light(self.plot.width, self.plot.height)
        evened = to_linear(self.pixels)
        np.multiply(evened, np.array(self.backdrop.mean_light, np.float32), out=evened)
        np.divide(evened, np.maximum(light, np.float32(1e-3)), out=evened)
        return _lab(evened)

    def mask_of(self, places: Sequence[Sequence[float]]) -> Mask:
        """Inside of a loop, bool (h, w)."""
        return self.plot.inside(places)


def _lab(light: Float) -> Float:
    lab = cv2.cvtColor(light, cv2.COLOR_LRGB2Lab)
    return cv2.GaussianBlur(lab, (0, 0), _SMOOTH).astype(np.float32, copy=False)
