"""A product that is seen through: its coverage and colour from how it changes the backdrop behind it."""

from dataclasses import replace

import numpy as np

from yardchalk.core.colour import Coded, Float, linear_table, top
from yardchalk.core.stages.edge.matte import Cutout

_SHINE = 0.15  # lighter than the backdrop by this share, it is a highlight and opaque
_LEAST = 0.02


def seen_through(cut: Cutout, pixels: Coded, light: Float, strength: Float) -> Cutout:
    """A cutout with glass in it.

    C = alpha F + (1 - alpha) B leaves alpha open where F is not known; taken is the least for which F has no negative
    light: one less the smallest ratio of C to B among the channels.

    Parameters
    ----------
    pixels : uint8 or uint16, shape (h, w, 3)
        Coded colours of the region.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    strength : float32, shape (h, w)
        How far it is seen through, 0..1.
    """
    there = (strength > 0) & (cut.alpha > 0)
    if not there.any():
        return cut
    rows, columns = np.nonzero(there)
    seen = linear_table(top(pixels.dtype) + 1)[pixels[rows, columns]]
    behind = np.maximum(light[rows, columns], np.float32(1e-3))
    ratio = seen / behind
    shine = np.clip((ratio.max(1) - 1) / _SHINE, 0, 1)
    through = np.clip(ratio.min(1), 0, 1) * (1 - shine) * strength[rows, columns]
    alpha = cut.alpha.copy()
    alpha[rows, columns] = np.maximum(cut.alpha[rows, columns] * (1 - through), _LEAST)
    covers = alpha[rows, columns][:, None]
    colour = np.clip((seen - (1 - covers) * behind) / covers, 0, 1).astype(np.float32)
    others = ~there[cut.rows, cut.columns]
    return replace(
        cut,
        alpha=alpha,
        rows=np.concatenate([cut.rows[others], rows]),
        columns=np.concatenate([cut.columns[others], columns]),
        colour=np.concatenate([cut.colour[others], colour]),
    )
