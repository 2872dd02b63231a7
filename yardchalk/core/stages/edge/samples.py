"""Light of single pixels, and of the sure pixels nearest to them.

Light is linear R, G, B and, fourth, that of the luma: JPEG keeps luma at full resolution while it halves chroma.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import LUMA, Coded, Float, Mask, code_table, linear_table
from yardchalk.core.compiled import compiled

_RED, _GREEN, _BLUE = (np.float32(weight) for weight in LUMA)
Places = NDArray[np.intp]


@compiled
def see(pixels: Coded, y: int, x: int, table: Float, fine_table: Float, per_code: np.float32, out: Float) -> None:
    """Into `out`: linear light of a pixel's R, G, B and of its luma."""
    r, g, b = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
    out[0], out[1], out[2] = table[r], table[g], table[b]
    luma = (_RED * np.float32(r) + _GREEN * np.float32(g) + _BLUE * np.float32(b)) * per_code
    out[3] = fine_table[int(luma + np.float32(0.5))]


def nearest_light(pixels: NDArray[np.uint8], seeds: Mask, rows: Places, columns: Places) -> Float:
    """Linear light and luma of the nearest seed to each asked pixel, averaged with the seeds beside it; (n, 4)."""
    if not seeds.any():
        return light_at(pixels, rows, columns)
    _, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    return _light_of_seeds(pixels, linear_table(256), linear_table(65536), code_table(), seeds, labels, rows, columns)


@compiled
def _light_of_seeds(
    pixels: NDArray[np.uint8],
    table: Float,
    fine_table: Float,
    codes: NDArray[np.uint16],
    seeds: Mask,
    labels: NDArray[np.int32],
    rows: Places,
    columns: Places,
) -> Float:
    h, w = seeds.shape
    where = np.empty(h * w + 1, np.int32)
    for y in range(h):
        for x in range(w):
            if seeds[y, x]:
                where[labels[y, x]] = y * w + x
    # What was found for a seed is used again for all pixels that it is nearest to.
    first = np.zeros(h * w + 1, np.int32)
    out = np.empty((rows.size, 4), np.float32)
    for i in range(rows.size):
        label = labels[rows[i], columns[i]]
        if first[label]:
            out[i] = out[first[label] - 1]
            continue
        first[label] = i + 1
        y0, x0 = where[label] // w, where[label] % w
        r, g, b, count = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        for y in range(y0 - 1, y0 + 2):
            for x in range(x0 - 1, x0 + 2):
                v, u = min(max(y, 0), h - 1), min(max(x, 0), w - 1)
                if seeds[v, u]:
                    r += table[pixels[v, u, 0]]
                    g += table[pixels[v, u, 1]]
                    b += table[pixels[v, u, 2]]
                    count += np.float32(1)
        r, g, b = r / count, g / count, b / count
        luma = _RED * codes[int(r * 65535 + 0.5)] + _GREEN * codes[int(g * 65535 + 0.5)] + _BLUE * codes[int(b * 65535 + 0.5)]
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = r, g, b, fine_table[int(luma + 0.5)]
    return out


def light_at(pixels: NDArray[np.uint8], rows: Places, columns: Places) -> Float:
    """Linear light of pixels, and of their luma, (n, 4)."""
    return _see_all(pixels, linear_table(256), linear_table(65536), rows, columns)


@compiled
def _see_all(pixels: NDArray[np.uint8], table: Float, fine_table: Float, rows: Places, columns: Places) -> Float:
    out = np.empty((rows.size, 4), np.float32)
    per_code = np.float32(65535 / (table.size - 1))
    for i in range(rows.size):
        see(pixels, rows[i], columns[i], table, fine_table, per_code, out[i])
    return out
