"""Regions whose places are found anew on every photo, made into those of one photo."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import BoxRegion, BoxRule, FamilyRegion, FamilyRule, SpreadRegion, SpreadRule, Start
from yardchalk.core.settings_base import Place, Stroke
from yardchalk.core.stages.clear.ground import Ground

_INSET = 0.02  # of the shorter side; how far inside the frame places at its border lie
_ALONG = 24  # places along the border
_BLUR = 0.01  # of the longer side; a single bright pixel is not the brightest part


def places_of(start: Start, ground: Ground) -> tuple[Place, ...]:
    """Where a rule starts on this photo, in shares of it.

    Along the border and in the corners, places that lie on the product or on what is neither product nor backdrop are left out, unless
    none would be left.
    """
    h, w = ground.shape
    cleared = ground.clearing
    if start == "brightest":
        lightness = cv2.GaussianBlur(ground.lab[..., 0], (0, 0), max(_BLUR * max(h, w), 1.0))
        free = ~cleared.product & ~cleared.surroundings
        y, x = divmod(int(np.argmax(np.where(free, lightness, -1) if free.any() else lightness)), w)
        return tuple(ground.plot.shares(np.array([[x + 0.5, y + 0.5]])))
    inset = max(_INSET * min(h, w), 1.0)
    corners = np.array([[inset, inset], [w - inset, inset], [w - inset, h - inset], [inset, h - inset]])
    at = corners if start == "corners" else _round(corners)
    columns, rows = np.clip(at.astype(np.intp), 0, (w - 1, h - 1)).T
    free = ~(cleared.product | cleared.surroundings)[rows, columns]
    return tuple(ground.plot.shares(at[free] if free.any() else at))


def _round(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places along a rectangle, evenly on each side."""
    steps = np.arange(_ALONG // 4) / (_ALONG // 4)
    sides = [a + (b - a) * steps[:, None] for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)]
    return np.concatenate(sides)


def made_for(rule: SpreadRule | FamilyRule | BoxRule, ground: Ground) -> SpreadRegion | FamilyRegion | BoxRegion:
    """The region that the rule comes to on a photo."""
    common = {"name": rule.name, "on": rule.on, "how": rule.how}
    if isinstance(rule, SpreadRule):
        return SpreadRegion(
            kind="spread",
            points=places_of(rule.start, ground),
            tolerance=rule.tolerance,
            by=rule.by,
            against=rule.against,
            extent=rule.extent,
            softness=rule.softness,
            **common,
        )
    if isinstance(rule, FamilyRule):
        samples = tuple(Stroke(size=max(0.01, rule.grain), points=(place,)) for place in places_of(rule.start, ground))
        return FamilyRegion(kind="family", samples=samples, reach=rule.reach, softness=rule.softness, grain=rule.grain, **common)
    return BoxRegion(kind="box", loop=found_box(ground, rule.margin), **common)


def found_box(ground: Ground, margin: float) -> tuple[Place, ...]:
    """A box round what automatic clearing finds, four places; the whole frame if it finds nothing."""
    h, w = ground.shape
    product = ground.clearing.product
    x, y, width, height = cv2.boundingRect(product.view(np.uint8)) if product.any() else (0, 0, w, h)
    grow = margin * max(h, w)
    left, top = max(x - grow, 0.0), max(y - grow, 0.0)
    right, bottom = min(x + width + grow, float(w)), min(y + height + grow, float(h))
    return tuple(ground.plot.shares(np.array([[left, top], [right, top], [right, bottom], [left, bottom]])))
