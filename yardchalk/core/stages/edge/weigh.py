"""The matte at the analysis picture's size and at any larger one, each pixel weighed by itself.

C = alpha F + (1 - alpha) B, with what is expected of alpha from its distance to the outline or, where no smooth outline
explains it, from the close look; of F from the product nearby, and of B from the backdrop nearby, each with a spread. Alpha
and F are made most likely in turn (Chuang, Curless, Salesin and Szeliski, A Bayesian approach to digital matting, CVPR
2001). So an edge is as sharp as the photo has it, and a tile is exactly a piece of the whole.
"""

import math

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, cubic_taps, decode, encode, even_table, linear_table, top
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
_BLOCK = 1024  # pixels
_CURVE = -0.5  # slope of the cubic convolution that coverage is read by: the one that is exact for parabolas
_FAR_OUT = 2.0  # spreads of an edge


def refine(solution: Solution, pixels: Coded, frame: tuple[int, int], left: int, top_row: int) -> Cutout:
    """The matte of a region of the photo, at no less than the analysis picture's size.

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
    spread = math.sqrt(lens / (sx * sy) + _PIXEL**2) if sx < 1 else solution.spread
    clean = solution.clean if solution.clean > FRONT_FROM else min(FRONT_FROM, _FAR_OUT * solution.spread)
    tables = linear_table(top(pixels.dtype) + 1), linear_table(65536)
    front, behind = solution.front, solution.behind
    if solution.drawn:
        tables = even_table(top(pixels.dtype) + 1), even_table(65536)
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
            *cubic_taps(aw, frame[0], left, left + w, _CURVE),
            *cubic_taps(ah, frame[1], top_row + strip.start, top_row + strip.stop, _CURVE),
            spread * math.sqrt(sx * sy),
            clean,
            # Along smooth outlines, what was seen closely holds at that size, and less at a larger one, which shows them sharper.
            max(0.0, 1 + math.log2(sx * sy) / 3),
            alpha[strip],
        )
        parts.append((rows[changed] + start, columns[changed], colour[changed]))
    rows, columns, colour = (np.concatenate(values) for values in zip(*parts, strict=True))
    return Cutout(alpha, rows, columns, decode(colour) if solution.drawn else colour, solution.drawn)


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
    before: Places,
    steps_across: Float,
    above: Places,
    steps_down: Float,
    spread: float,
    clean: float,
    alike: float,
    alpha: Float,
) -> tuple[Float, Mask]:
    """Into `alpha`: the coverage of the open pixels; returns the product's own light there, (n, 3), and for which it matters.

    `before` and `steps_across`, `above` and `steps_down` read between the solved pixels, as `cubic_taps` gives them. `spread` is that of
    an edge, `clean` how far inside it colour is the product's own, in px of the analysis picture; `alike`, 0..1, is how near this size
    comes to that picture's.
    """
    left, top_row, sx, sy = place
    ah, aw = index.shape
    per_code = np.float32(65535 / (table.size - 1))
    out = np.empty((rows.size, 3), np.float32)
    changed = np.empty(rows.size, np.bool_)
    one = np.float32(1)
    f, b, q, c = np.empty(4, np.float32), np.empty(4, np.float32), np.empty(5, np.float32), np.empty(4, np.float32)
    # In blocks, each quantity of a block in a row of its own, so that the processor weighs many pixels at once.
    seen, front_here, behind_here = np.empty((4, _BLOCK), np.float32), np.empty((4, _BLOCK), np.float32), np.empty((4, _BLOCK), np.float32)
    doubt_here, own = np.empty((5, _BLOCK), np.float32), np.empty((3, _BLOCK), np.float32)
    away, closeness = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    expected, of_alpha, likely = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    for start in range(0, rows.size, _BLOCK):
        n = min(_BLOCK, rows.size - start)
        for i in range(n):
            y, x = rows[start + i], columns[start + i]
            at_y = min(max((y + top_row + 0.5) * sy - 0.5, 0.0), ah - 1.0)
            at_x = min(max((x + left + 0.5) * sx - 0.5, 0.0), aw - 1.0)
            y0, x0 = int(at_y), int(at_x)
            y1, x1 = min(y0 + 1, ah - 1), min(x0 + 1, aw - 1)
            t, s = np.float32(at_y - y0), np.float32(at_x - x0)
            f[:] = 0
            b[:] = 0
            q[:] = 0
            known, d = np.float32(0), np.float32(0)
            for corner in range(4):
                v, u = y1 if corner > 1 else y0, x1 if corner % 2 else x0
                share = (t if corner > 1 else one - t) * (s if corner % 2 else one - s)
                d += share * distance[v, u]
                j = index[v, u] - 1
                if j >= 0 and share > 0:
                    known += share
                    for k in range(4):
                        f[k] += share * front[j, k]
                        b[k] += share * behind[j, k]
                    for k in range(5):
                        q[k] += share * doubt[j, k]
            see(pixels, y, x, table, fine_table, per_code, c)
            for k in range(4):
                seen[k, i], front_here[k, i], behind_here[k, i] = c[k], f[k] / known, b[k] / known
            for k in range(5):
                doubt_here[k, i] = q[k] / known
            thin, close = doubt_here[2, i], max(doubt_here[4, i], np.float32(0))
            # Where detail is thin it holds at any.
            close = np.float32(alike) * close + np.float32(1 - alike) * thin * close
            guess = np.float32(0)
            if thin > 0 or close > 0:
                for k in range(steps_down.shape[0]):
                    for j in range(steps_across.shape[0]):
                        share = steps_down[k, y] * steps_across[j, x]
                        if share != 0:
                            guess += share * solved[above[y] + k, before[x] + j]
                guess = min(max(guess, np.float32(0)), one)
            by_outline, steep = np.float32(0), np.float32(0)
            if thin < one:
                by_outline = np.float32(0.5 * (1 + math.erf(d / spread * 0.7071067811865476)))
                exact = _PLACE if doubt_here[4, i] < 0 else _LOOKED_PLACE
                steep = np.float32(exact * 0.3989423 / spread * math.exp(-0.5 * (d / spread) ** 2) + _ALPHA_FLOOR)
            by_outline = thin * guess + (one - thin) * by_outline
            steep = thin * np.float32(_THIN_SPREAD) + (one - thin) * steep
            steep = close * np.float32(_LOOKED_SPREAD) + (one - close) * steep
            expected[i], of_alpha[i] = close * guess + (one - close) * by_outline, steep * steep
            away[i], closeness[i] = d, close
        _most_likely(n, seen, front_here, behind_here, expected, of_alpha, doubt_here, likely, own)
        for i in range(n):
            a, d, thin, close = likely[i], away[i], doubt_here[2, i], closeness[i]
            # Farther out than the lens spreads an edge, faint coverage is noise; farther in, what lowers it a little is texture.
            far_out, far_in = d < -_FAR_OUT * spread, d > _FAR_OUT * spread
            step = max(abs(front_here[3, i] - behind_here[3, i]), np.float32(1e-3))
            noise = min(max(doubt_here[1, i] / step, np.float32(NOTHING)), np.float32(0.3))
            low = thin * noise + (one - thin) * np.float32(0.1 if far_out else NOTHING)
            high = thin * noise + (one - thin) * np.float32(0.1 if far_in else 1 - ALL)
            if a < close * np.float32(NOTHING) + (one - close) * low:
                a = np.float32(0)
            if a > one - (close * np.float32(_LOOKED_ALL) + (one - close) * high):
                a = one
            changed[start + i] = a > 0 and (a < 1 or d <= clean)
            alpha[rows[start + i], columns[start + i]] = a
            for k in range(3):
                out[start + i, k] = own[k, i]
    return out, changed


@compiled
def _most_likely(
    n: int, seen: Float, front: Float, behind: Float, expected: Float, of_alpha: Float, doubt: Float, likely: Float, own: Float
) -> None:
    """Into `likely` and `own`: coverage 0..1 and the product's light (3, ...) that are most likely together, of the first n pixels.

    Light is R, G, B and of luma, (4, ...); `of_alpha` is the variance of what coverage is expected to be. One pixel after another
    without a branch and with all of a pixel in single values: so the compiler takes as many at once as the processor can.
    """
    zero, one, third = np.float32(0), np.float32(1), np.float32(1 / 3)
    for i in range(n):
        seen_r, seen_g, seen_b, seen_l = seen[0, i], seen[1, i], seen[2, i], seen[3, i]
        front_r, front_g, front_b, front_l = front[0, i], front[1, i], front[2, i], front[3, i]
        behind_r, behind_g, behind_b, behind_l = behind[0, i], behind[1, i], behind[2, i], behind[3, i]
        alpha_variance, front_variance, light_variance = of_alpha[i], doubt[0, i] * doubt[0, i], doubt[1, i] * doubt[1, i]
        u, v, w = seen_r - behind_r, seen_g - behind_g, seen_b - behind_b
        rise = seen_l - behind_l
        own_r, own_g, own_b, own_l = front_r, front_g, front_b, front_l
        a = expected[i]
        for _ in range(_TURNS):
            # Chroma is what is left of the three channels without their mean.
            r, g, b = own_r - behind_r, own_g - behind_g, own_b - behind_b
            whole = r + g + b
            step = own_l - behind_l
            square = step * step + _CHROMA * (r * r + g * g + b * b - whole * whole * third)
            shared = step * rise + _CHROMA * (r * u + g * v + b * w - whole * (u + v + w) * third)
            a = (shared * alpha_variance + expected[i] * light_variance) / (square * alpha_variance + light_variance)
            a = min(max(a, zero), one)
            luma = a * front_variance / (a * a * front_variance + light_variance)
            chroma = a * _CHROMA * front_variance / (a * a * _CHROMA * front_variance + light_variance)
            r = seen_r - a * front_r - (one - a) * behind_r
            g = seen_g - a * front_g - (one - a) * behind_g
            b = seen_b - a * front_b - (one - a) * behind_b
            mean = r * third + g * third + b * third
            own_r = min(max(front_r + luma * mean + chroma * (r - mean), zero), one)
            own_g = min(max(front_g + luma * mean + chroma * (g - mean), zero), one)
            own_b = min(max(front_b + luma * mean + chroma * (b - mean), zero), one)
            own_l = min(max(front_l + luma * (seen_l - a * front_l - (one - a) * behind_l), zero), one)
        likely[i] = a
        own[0, i], own[1, i], own[2, i] = own_r, own_g, own_b
