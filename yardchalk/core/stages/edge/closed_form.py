"""Closed-form matting in the band (Levin, Lischinski and Weiss, IEEE PAMI 30, 2008).

In a window of 3 x 3 px, product and backdrop are each taken to lie on a line of colours, so that alpha is linear in colour
there. That holds in a shadow too, whose colours lie on the line from black to the backdrop. The matting Laplacian, by
PyMatting, is made in tiles, each with as much round it as its pixels' windows reach: it is exactly that of the whole
picture, so there are no seams, and memory goes with the band, not with the picture.
"""

from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray
from scipy.sparse.linalg import cg

from yardchalk.core.colour import Float, Mask, linear_table

_TILE = 192  # px
_REACH = 2  # px; of a pixel's windows
_EPSILON = 1e-6  # variance of colour that counts as none
_GAMMA = 0.7  # between light, in which colours mix, and codes, in which dark ones are told apart
_HOLD = 1e-6  # so that no pixel is without any hold
_TOLERANCE, _ROUNDS = 1e-3, 60


@dataclass(frozen=True)
class ColourLines:
    """The matting Laplacian of an unknown band between sure product and sure backdrop.

    Attributes
    ----------
    unknown : bool, shape (h, w)
    core : float32, shape (h, w)
        1 where the product is sure.
    laplacian : sparse (n, n), of the unknown pixels in reading order.
    pull : float64, shape (n,)
        What the sure pixels beside them ask of each.
    """

    unknown: Mask
    core: Float
    laplacian: sp.csr_matrix
    pull: NDArray[np.float64]

    @classmethod
    def of(cls, pixels: NDArray[np.uint8], core: Mask, backdrop: Mask) -> "ColourLines":
        """Of coded pixels (h, w, 3), sure product and sure backdrop (h, w)."""
        # Here, not above: only who solves a band waits for its loops to be read in.
        from pymatting import cf_laplacian

        unknown = ~(core | backdrop)
        h, w = unknown.shape
        number = np.full((h, w), -1, np.int32)
        number[unknown] = np.arange(np.count_nonzero(unknown))
        light = linear_table(256).astype(np.float64) ** _GAMMA
        pull = np.zeros(np.count_nonzero(unknown))
        rows, columns, values = [], [], []
        for y in range(0, h, _TILE):
            for x in range(0, w, _TILE):
                if not unknown[y : y + _TILE, x : x + _TILE].any():
                    continue
                at = np.s_[max(0, y - _REACH) : y + _TILE + _REACH, max(0, x - _REACH) : x + _TILE + _REACH]
                here = number[at]
                inner = np.full(here.shape, -1, np.int32)
                own = np.s_[y - at[0].start : y - at[0].start + _TILE, x - at[1].start : x - at[1].start + _TILE]
                inner[own] = here[own]
                asked = np.flatnonzero(inner >= 0)
                part = cf_laplacian(light[pixels[at]], _EPSILON, 1, is_known=~unknown[at])[asked].tocoo()
                i, j = inner.ravel()[asked[part.row]], here.ravel()[part.col]
                sure = j < 0
                pull -= np.bincount(i[sure], part.data[sure] * core[at].ravel()[part.col[sure]], pull.size)
                rows.append(i[~sure])
                columns.append(j[~sure])
                values.append(part.data[~sure])
        n = pull.size
        if not n:
            return cls(unknown, core.astype(np.float32), sp.csr_matrix((0, 0)), pull)
        made = sp.csr_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(n, n))
        return cls(unknown, core.astype(np.float32), made, pull)

    def solve(self, start: Float, said: Float, weight: Float) -> Float:
        """Coverage 0..1, float32 (h, w).

        Parameters
        ----------
        start : float32, shape (h, w)
            A first guess. The solving stops soon, so it counts where colours say little.
        said, weight : float32, shape (h, w)
            What else is known of alpha, and how firmly: 0.01 outweighs the colours, 0 says nothing.
        """
        out = self.core.copy()
        if not self.pull.size:
            return out
        firm = weight[self.unknown].astype(np.float64) + _HOLD
        system = self.laplacian + sp.diags(firm)
        scale = sp.diags(1 / np.maximum(system.diagonal(), 1e-9))
        first = start[self.unknown].astype(np.float64)
        wanted = self.pull + firm * said[self.unknown]
        found, _ = cg(system, wanted, x0=first, M=scale, rtol=_TOLERANCE, maxiter=_ROUNDS)
        out[self.unknown] = np.clip(found, 0, 1)
        return out
