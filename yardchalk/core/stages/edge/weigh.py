"""The matte at any size, each pixel weighed by itself.

C = alpha F + (1 - alpha) B, with what is expected of alpha from its distance to the outline or, where no smooth outline
explains it, from the close look; of F from the product nearby, and of B from the backdrop nearby, each with a spread. Alpha
and F are made most likely in turn (Chuang, Curless, Salesin and Szeliski, A Bayesian approach to digital matting, CVPR
2001). So an edge is as sharp as the photo has it, a tile is exactly a piece of the whole, and a preview has the edges of
the delivery.
"""

import math

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, decode, encode, linear_table, top
from yardchalk.core.compiled import compiled
from yardchalk.core.stages.edge.matte import ALL, FRONT_FROM, NOTHING, Cutout, Solution
from yardchalk.core.stages.edge.samples import Places, see

_THIN_SPREAD = 0.3  # of alpha where detail is thin
_LOOKED_SPREAD = 0.01  # of alpha by the close look, at its own size
_LOOKED_ALL = 0.035  # of what it lacks of full coverage: full
_PLACE, _LOOKED_PLACE = 0.3, 0.12  # px; how exactly the outline is known, and by the close look
_ALPHA_FLOOR = 0.03
_PIXEL = 0.3  # px; spread of an edge by the pixels themselves
_CHROMA = np.float32(0.05)  # weight of chroma, which JPEG halves, against luma; in the product's own light too
_TURNS = 3
_STRIP = 512  # rows
_FAR_OUT = 2.0  # spreads of an edge


def refine(solution: Solution, pixels: Coded, frame: tuple[int, int], left: int, top_row: int) -> Cutout:
    """The matte of a region of the photo at any size.

    Parameters
    ----------
    solution : of the analysis picture.
    pixels : uint8 or uint16, shape (h, w, 3)
        Coded colour of the region.
    frame : width and height of the whole photo at that size, px.
    left, top_row : of the region in it, px.
    """
    h, w = pixels.shape[:2]
    ah, aw = solution.alpha.shape
    sx, sy = aw / frame[0], ah / frame[1]
    # The pixel of the analysis picture under the middle of each of ours.
    across = np.minimum(((np.arange(left, left + w) + 0.5) * sx).astype(np.intp), aw - 1)
    down = np.minimum(((np.arange(top_row, top_row + h) + 0.5) * sy).astype(np.intp), ah - 1)
    # What the lens did at the analysis picture's size, without what its pixels did, and with what ours do.
    lens = max(solution.spread**2 - _PIXEL**2, 0.2**2)
    spread = math.sqrt(lens / (sx * sy) + _PIXEL**2) if sx < 1 else math.sqrt(solution.spread**2 / (sx * sy) + _PIXEL**2 * (1 - 1 / sx**2))
    clean = solution.clean if solution.clean > FRONT_FROM else min(FRONT_FROM, _FAR_OUT * solution.spread)
    tables = linear_table(top(pixels.dtype) + 1), linear_table(65536)
    front, behind = solution.front, solution.behind
    if solution.drawn:
        tables = _codes(top(pixels.dtype) + 1), _codes(65536)
        front, behind = encode(front), encode(behind)
    alpha = np.empty((h, w), np.float32)
    parts: list[tuple[Places, Places, Float]] = []
    # In strips, and of what was open only what is partly covered or of another colour is kept: so memory stays small.
    for start in range(0, h, _STRIP):
        strip = slice(start, min(start + _STRIP, h))
        rows, columns = _open_pixels(solution.alpha, solution.index, solution.own, down[strip], across, alpha[strip])
        colour, changed = _weigh_pixels(
            pixels[strip],
            *tables,
            solution.alpha,
            solution.distance,
            solution.index,
            front,
            behind,
            solution.doubt,
            rows,
            columns,
            (left, top_row + start, sx, sy),
            spread * math.sqrt(sx * sy),
            clean,
            # What was seen closely holds at that size, and less at others.
            max(0.0, 1 - abs(math.log2(sx * sy)) / 2),
            alpha[strip],
        )
        parts.append((rows[changed] + start, columns[changed], colour[changed]))
    rows, columns, colour = (np.concatenate(values) for values in zip(*parts, strict=True))
    return Cutout(alpha, rows, columns, decode(colour) if solution.drawn else colour, solution.drawn)


def _codes(levels: int) -> Float:
    return np.linspace(0, 1, levels, dtype=np.float32)


@compiled
def _open_pixels(solved: Float, index: NDArray[np.int32], own: int, down: Places, across: Places, alpha: Float) -> tuple[Places, Places]:
    """Into `alpha`: coverage where it is nothing or all; returns the places where it is open."""
    h, w = down.size, across.size
    n = 0
    for y in range(h):
        for x in range(w):
            at = index[down[y], across[x]]
            alpha[y, x] = np.float32(1) if solved[down[y], across[x]] > 0.5 else np.float32(0)
            n += 0 < at <= own
    rows, columns = np.empty(n, np.intp), np.empty(n, np.intp)
    n = 0
    for y in range(h):
        for x in range(w):
            at = index[down[y], across[x]]
            if 0 < at <= own:
                rows[n], columns[n] = y, x
                n += 1
    return rows, columns


@compiled
def _weigh_pixels(
    pixels: Coded,
    table: Float,
    fine_table: Float,
    solved: Float,
    distance: Float,
    index: NDArray[np.int32],
    front: Float,
    behind: Float,
    doubt: Float,
    rows: Places,
    columns: Places,
    place: tuple[int, int, float, float],
    spread: float,
    clean: float,
    alike: float,
    alpha: Float,
) -> tuple[Float, Mask]:
    """Into `alpha`: the coverage of the open pixels; returns the product's own light there, (n, 3), and for which it matters.

    `spread` is that of an edge, `clean` how far inside it colour is the product's own, in px of the analysis picture; `alike`, 0..1,
    is how near this size comes to that picture's.
    """
    left, top_row, sx, sy = place
    ah, aw = index.shape
    per_code = np.float32(65535 / (table.size - 1))
    out = np.empty((rows.size, 3), np.float32)
    changed = np.empty(rows.size, np.bool_)
    f, b, c, own = np.empty(4, np.float32), np.empty(4, np.float32), np.empty(4, np.float32), np.empty(4, np.float32)
    q = np.empty(5, np.float32)
    one = np.float32(1)
    for i in range(rows.size):
        y, x = rows[i], columns[i]
        at_y = min(max((y + top_row + 0.5) * sy - 0.5, 0.0), ah - 1.0)
        at_x = min(max((x + left + 0.5) * sx - 0.5, 0.0), aw - 1.0)
        y0, x0 = int(at_y), int(at_x)
        y1, x1 = min(y0 + 1, ah - 1), min(x0 + 1, aw - 1)
        t, s = np.float32(at_y - y0), np.float32(at_x - x0)
        f[:] = 0
        b[:] = 0
        q[:] = 0
        known, d, guess = np.float32(0), np.float32(0), np.float32(0)
        for corner in range(4):
            v, u = y1 if corner > 1 else y0, x1 if corner % 2 else x0
            share = (t if corner > 1 else one - t) * (s if corner % 2 else one - s)
            d += share * distance[v, u]
            guess += share * solved[v, u]
            j = index[v, u] - 1
            if j >= 0 and share > 0:
                known += share
                for k in range(4):
                    f[k] += share * front[j, k]
                    b[k] += share * behind[j, k]
                for k in range(5):
                    q[k] += share * doubt[j, k]
        for k in range(4):
            f[k] /= known
            b[k] /= known
        for k in range(5):
            q[k] /= known
        thin, close = q[2], max(q[4], np.float32(0)) * np.float32(alike)
        expected = np.float32(0.5 * (1 + math.erf(d / spread * 0.7071067811865476)))
        exact = _PLACE if q[4] < 0 else _LOOKED_PLACE
        steep = np.float32(exact * 0.3989423 / spread * math.exp(-0.5 * (d / spread) ** 2) + _ALPHA_FLOOR)
        expected = thin * guess + (one - thin) * expected
        steep = thin * np.float32(_THIN_SPREAD) + (one - thin) * steep
        expected = close * guess + (one - close) * expected
        steep = close * np.float32(_LOOKED_SPREAD) + (one - close) * steep
        see(pixels, y, x, table, fine_table, per_code, c)
        a = _most_likely(c, f, b, expected, steep * steep, q[0] * q[0], q[1] * q[1], own)
        # Farther out than the lens spreads an edge, faint coverage is noise; farther in, what lowers it a little is texture.
        far_out, far_in = d < -_FAR_OUT * spread, d > _FAR_OUT * spread
        noise = min(max(q[1] / max(abs(f[3] - b[3]), np.float32(1e-3)), np.float32(NOTHING)), np.float32(0.3))
        low = thin * noise + (one - thin) * np.float32(0.1 if far_out else NOTHING)
        high = thin * noise + (one - thin) * np.float32(0.1 if far_in else 1 - ALL)
        if a < close * np.float32(NOTHING) + (one - close) * low:
            a = np.float32(0)
        if a > one - (close * np.float32(_LOOKED_ALL) + (one - close) * high):
            a = one
        changed[i] = a > 0 and (a < 1 or d <= clean)
        alpha[y, x] = a
        for k in range(3):
            out[i, k] = min(max(own[k], np.float32(0)), one)
    return out, changed


@compiled
def _most_likely(
    seen: Float,
    front: Float,
    behind: Float,
    expected: np.float32,
    of_alpha: np.float32,
    of_front: np.float32,
    of_light: np.float32,
    own: Float,
) -> np.float32:
    """Coverage 0..1 and, into `own`, the product's light, of 4, that are most likely together; the others are variances."""
    one, third = np.float32(1), np.float32(1 / 3)
    own[:] = front
    a = expected
    for _ in range(_TURNS):
        # Chroma is what is left of the three channels without their mean.
        r, g, bl = own[0] - behind[0], own[1] - behind[1], own[2] - behind[2]
        u, v, w = seen[0] - behind[0], seen[1] - behind[1], seen[2] - behind[2]
        whole = r + g + bl
        step, rise = own[3] - behind[3], seen[3] - behind[3]
        square = step * step + _CHROMA * (r * r + g * g + bl * bl - whole * whole * third)
        shared = step * rise + _CHROMA * (r * u + g * v + bl * w - whole * (u + v + w) * third)
        a = min(max((shared * of_alpha + expected * of_light) / (square * of_alpha + of_light), np.float32(0)), one)
        luma = a * of_front / (a * a * of_front + of_light)
        chroma = a * _CHROMA * of_front / (a * a * _CHROMA * of_front + of_light)
        mean = np.float32(0)
        for k in range(3):
            own[k] = seen[k] - a * front[k] - (one - a) * behind[k]
            mean += own[k] * third
        for k in range(3):
            own[k] = min(max(front[k] + luma * mean + chroma * (own[k] - mean), np.float32(0)), one)
        own[3] = min(max(front[3] + luma * (seen[3] - a * front[3] - (one - a) * behind[3]), np.float32(0)), one)
    return a
