"""The matte in the band along the product's border: what it is solved by, what it is, and what is cut out by it.

It is found in three steps: solved on the analysis picture (`solve`), described there (`describe`), and weighed at that size
or a larger one, pixel by pixel (`weigh`); at a smaller one it is averaged (`smaller`). Everything is computed for the band's
pixels alone; the rest of the photo is never turned into floating point.
"""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.stages.edge.samples import Places

Solver = Literal["auto", "known", "open"]
Mixing = Literal["light", "codes"]
Part = tuple[slice, slice]  # rows and columns
FRONT_FROM, BEHIND_FROM = 2.0, 2.5  # px; from the outline, where product and backdrop are themselves
OPEN_SPREADS = 2.6  # spreads of an edge within which alpha is open
WIDE = 2.5  # px; spread of edges, measured roughly, from which on a photo counts as soft
_CRISP = 0.45  # px; a lens and what develops its photo spread edges more
_MARGIN = 32  # px; nothing farther from the product is looked at
NOTHING, ALL = 0.01, 0.996  # coverage that is taken for none and for full


@dataclass(frozen=True)
class BandSettings:
    """How the band is solved; widths in px of the analysis picture.

    Attributes
    ----------
    solver : auto looks closely and, where it does not, takes along what is known of the backdrop where it tells; known is the
        projection alone; open never looks at the backdrop model.
    width : to either side of the first matte's outline, how far alpha is unknown; from the measured spread of edges if None.
    clean : how far inside the outline the product's colour may still be tinged by the backdrop.
    crumb : px² covered; solved pieces of less are left-overs of the solving.
    mixing : what is mixed at an edge: light, or codes where the picture was drawn.
    spread : of edges; measured if None.
    solid : whether next to none of the outline is thin detail; found out if None.
    """

    solver: Solver = "auto"
    width: float | None = None
    clean: float = FRONT_FROM
    crumb: float = 60.0
    mixing: Mixing = "light"
    spread: float | None = None
    solid: bool | None = None


@dataclass(frozen=True)
class Matte:
    """A solved matte: coverage, float32 (h, w); where detail is thin, bool (h, w); how well the known backdrop told, float32;
    how far edges are spread, px, as a first measurement has it; where coverage is the close look's, bool (h, w), if there was one; and
    where a person says that detail is, bool (h, w), if so.
    """

    alpha: Float
    thin: Mask
    told: Float
    spread: float
    looked: Mask | None = None
    wider: Mask | None = None


@dataclass(frozen=True)
class Solution:
    """The matte as decided on the analysis picture, and what it takes to weigh its band's pixels there and at a larger size.

    Attributes
    ----------
    alpha : float32, shape (h, w)
        Coverage by the product, 0..1.
    distance : float32, shape (h, w)
        To the outline, px, positive inside; at and near the listed pixels, elsewhere just one of either sign.
    spread : float
        Of an edge, px.
    clean : float
        How far inside the outline the product's colour is its own, px.
    index : int32, shape (h, w)
        For pixels in the band and one px round it, one more than their place in the lists that follow; 0 elsewhere.
    own : int
        How many of the listed are in the band; the others lie round it.
    front, behind : float32, shape (n, 4)
        Linear light of the product and of the backdrop nearby and, fourth, of its luma.
    doubt : float32, shape (n, 5)
        Spread of the front's light, spread of what is seen (standard deviations), 1 where detail is thin, how well the known backdrop
        told product from backdrop, 0..1, and how far the close look is to be held to, 0..1, less than nothing where there was none.
    drawn : bool
        Whether edges are mixed in codes, as in what was drawn, not in light.
    whole : bool
        Whether it was solved as a whole, as all is that is delivered, not laid together.
    """

    alpha: Float
    distance: Float
    spread: float
    clean: float
    index: NDArray[np.int32]
    own: int
    front: Float
    behind: Float
    doubt: Float
    drawn: bool = False
    whole: bool = True

    @property
    def band(self) -> tuple[Places, Places]:
        """Rows and columns of the band's pixels, in the order of the lists."""
        at = np.flatnonzero((self.index > 0) & (self.index <= self.own))
        at = at[np.argsort(self.index.ravel()[at])]
        return np.divmod(at, self.index.shape[1])

    @property
    def crisp(self) -> bool:
        """Whether edges are as sharp as can be: no lens drew them."""
        return self.drawn or self.spread <= _CRISP

    @property
    def thin_share(self) -> float:
        """Share of the band where detail is thin."""
        return float(self.doubt[: self.own, 2].mean()) if self.own else 0.0

    def in_half_precision(self) -> "Solution":
        """With what is listed rounded to float16, as it is kept: what is read back is then the same to the last bit."""
        listed = np.flatnonzero(self.index)

        def half(values: Float) -> Float:
            return values.astype(np.float16).astype(np.float32)

        alpha, distance = self.alpha.copy(), self.distance.copy()
        for values in (alpha, distance):
            values.flat[listed] = half(values.flat[listed])
        front, behind, doubt = (half(values) for values in (self.front, self.behind, self.doubt))
        return replace(self, alpha=alpha, distance=distance, front=front, behind=behind, doubt=doubt)


@dataclass(frozen=True)
class Cutout:
    """A region, cut out.

    Attributes
    ----------
    alpha : float32, shape (h, w)
        Coverage by the product, 0..1.
    rows, columns : intp, shape (n,)
        The band's pixels; elsewhere alpha is exactly 0 or 1.
    colour : float32, shape (n, 3)
        Linear light of the product in the band's pixels, freed of the backdrop.
    drawn : bool
        Whether coverage mixes codes, as in what was drawn, not light.
    """

    alpha: Float
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    colour: Float
    drawn: bool = False


def around(product: Mask) -> Part | None:
    """Rows and columns of the product with as much round it as is looked at; None without a product."""
    rows, columns = np.flatnonzero(product.any(1)), np.flatnonzero(product.any(0))
    if not rows.size:
        return None
    m = _MARGIN
    return slice(max(0, rows[0] - m), rows[-1] + 1 + m), slice(max(0, columns[0] - m), columns[-1] + 1 + m)
