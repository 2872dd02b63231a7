"""Dropped places that neither the backdrop nor a shadow on it explains: a lid, a strap, or another surface; and print taken for gaps."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, Tool, by_size, islands, larger_than
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import Pieces

_CHECK = "missing-part"
_LISTED = 6
_INSIDE = 2, 4  # px deep, just within a piece's border
_OUTSIDE = 5, 9  # px across: a piece grown by the one is left out of what lies just beyond it, by the other
_ACROSS = 13  # px across; of a piece's own border, only what is that near to the outside is compared with it
_CRISP = 0.65  # of its difference from the backdrop that a part loses on the way out across its border; shading loses less
_FREE = 40  # px; with so little border of its own towards the backdrop nothing tells
_SHADE = 0.3  # of a step in shade, beside one in hue
_LARGE, _COLOURED = 0.05, 0.25  # share of the photo; chroma, log light
_HUE = 0.15  # chroma on light paper, log light; with more, a place has a colour of its own
_KEPT = "This may be product: {share:.2f} % of the photo was cleared that a second look would rather keep"
_PRINT = "This may be print, and no gap: {share:.2f} % of the photo was cleared within the product"
_CUT = 0.5  # coverage; what has more was kept
_SURE = 0.1  # coverage by the second look, mean; where it sees more, what is dropped is neither shading nor another surface for sure


def check(c: Checked) -> list[Finding]:
    """Dropped places with a colour of their own, or far darker than a shadow, or lighter than the backdrop; or nothing kept at all."""
    if not c.shows:
        return [_nothing(c)]
    found, listed = _parts(c)
    return found + _doubted(c, listed)


def _parts(c: Checked) -> tuple[list[Finding], Mask]:
    """Dropped places that nothing explains, and where they are."""
    nowhere = np.zeros(c.kept.shape, bool)
    if not c.evidence.support.any() or c.given:
        return [], nowhere
    odd = _odd(c.evidence.features, max(_HUE * c.evidence.coarse, 40 * c.evidence.chroma_noise))
    near = cv2.dilate((c.covered > 0.1).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    odd &= ~near
    if c.by_hand is not None:
        odd &= ~c.by_hand
    odd = cv2.morphologyEx(odd.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    pieces = islands(odd)
    # A table or a wall has a corner of the frame; what has none may be a product at its edge.
    corners = set(pieces.labels[[0, 0, -1, -1], [0, -1, 0, -1]].tolist())
    limit = c.spec.limits.missing_part
    found: list[Finding] = []
    listed: list[int] = []
    for i in by_size(pieces):
        share = 100 * int(pieces.area[i]) / odd.size
        if share <= limit or len(found) == _LISTED:
            break
        box = pieces.box(i)
        other = bool(c.clearing.surroundings[box][pieces.labels[box] == i].mean() > 0.5)
        if not other and _is_shading(c, pieces, i, near):
            continue
        what = "Another surface in the frame was cleared away" if other else "A part with its own colour was cleared away"
        agreed = other and i in corners and c.looked is not None and float(c.looked.coverage[box][pieces.labels[box] == i].mean()) <= _SURE
        message = what + ": {share:.2f} % of the photo" + (". A second look sees no product there" if agreed else "")
        tool: Tool = "crop" if other else "outline"
        found.append(c.share_of_photo(_CHECK, limit, pieces, i, message, tool, "note" if agreed else "look"))
        listed.append(i)
    return found, pieces.chosen(np.isin(np.arange(pieces.area.size), listed))


def _doubted(c: Checked, listed: Mask) -> list[Finding]:
    """What the second look would rather keep, and gaps that may be print; but for what is listed."""
    if c.looked is None:
        return []
    limit = c.spec.limits.missing_part
    found = []
    for places, message in ((c.looked.may_be_product, _KEPT), (c.looked.may_be_print, _PRINT)):
        left = places & (c.covered <= _CUT) & ~listed
        if c.by_hand is not None:
            left &= ~c.by_hand
        pieces = islands(left)
        found += [
            c.share_of_photo(_CHECK, limit, pieces, i, message, "outline") for i in larger_than(pieces, limit / 100 * left.size, _LISTED)
        ]
    return found


def _nothing(c: Checked) -> Finding:
    h, w = c.kept.shape
    what = "No product was found: all is like backdrop"
    if c.given:
        what = "Nothing is to be seen: the file's own transparency leaves none of it. Ask for the photo without it"
    return Finding(
        check=_CHECK,
        severity="fix",
        message=what,
        place=c.place_from_analysis(0, 0, w, h),
        figure=100,
        limit=c.spec.limits.missing_part,
        unit="% of photo",
        stage="clear",
        tool="none" if c.given else "box",
    )


def _is_shading(c: Checked, pieces: Pieces, label: int, near: Mask) -> bool:
    """Whether a piece is light on the backdrop: the product's colour thrown on it, or the dark where it stands.

    Shading fades where a part ends: a piece that goes on beyond its border is no part, if the second look saw none there either.
    What is large and of quite another hue is never shading.
    """
    around = pieces.box(label, margin=_OUTSIDE[1])
    piece = pieces.labels[around] == label
    features = c.evidence.features[around]
    if pieces.area[label] > _LARGE * pieces.labels.size and np.hypot(*np.median(features[piece, 1:], axis=0)) > _COLOURED:
        return False
    beyond, reached = (cv2.dilate(piece.view(np.uint8), np.ones((size, size), np.uint8)) > 0 for size in reversed(_OUTSIDE))
    outside = beyond & ~reached & ~near[around]
    if cv2.countNonZero(outside.view(np.uint8)) < _FREE or c.looked is None or c.looked.coverage[around][piece].mean() > _SURE:
        return False
    depth = cv2.distanceTransform(piece.view(np.uint8), cv2.DIST_L2, 5)
    free = cv2.dilate(outside.view(np.uint8), np.ones((_ACROSS, _ACROSS), np.uint8)) > 0
    inside = piece & free & (depth >= _INSIDE[0]) & (depth < _INSIDE[1])
    if not inside.any():
        return False
    odds = np.hypot(features[..., 1], features[..., 2]) + _SHADE * np.abs(features[..., 0])
    within, out, whole = (float(np.median(odds[where])) for where in (inside, outside, piece))
    return within - out < _CRISP * whole


@compiled
def _odd(features: Float, noise: float) -> Mask:
    """Where neither backdrop nor shadow is: with a hue beyond the noise, or too dark, or too light."""
    h, w = features.shape[:2]
    out = np.empty((h, w), np.bool_)
    for y in range(h):
        for x in range(w):
            shade, red, blue = features[y, x, 0], features[y, x, 1], features[y, x, 2]
            out[y, x] = red * red + blue * blue > noise * noise or shade < -1.6 or shade > 0.15
    return out
