"""Filling a hole with pieces of what is round it.

Patches that agree with what is known, and with each other, are searched for from coarse to fine by random search and
propagation (Barnes, Shechtman, Finkelstein, Goldman, *PatchMatch*, ACM Transactions on Graphics 28, 2009) and put together by
weighted voting (Wexler, Shechtman, Irani, *Space-time completion of video*, IEEE Transactions on Pattern Analysis and Machine
Intelligence 29, 2007). In the end each pixel of the hole has one pixel that it is copied from, so grain and sharpness stay;
steps between copies are taken out by solving for light whose differences are the copies' own (Perez, Gangnet, Blake, *Poisson
image editing*, ACM Transactions on Graphics 22, 2003).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled

_R = 3  # px; a patch has 7 x 7
_COARSEST = 6.0  # px; half width of the hole on the coarsest level
_MEETINGS = (10, 4, 1)  # rounds of search and vote, on the coarsest level, between, and on the finest
_SWEEPS = 2
_NEARLY = 8  # px; how far a finer level looks round what a coarser one found
_TRUST = 1.3  # by which what lies a px deeper in the hole counts less
_SETTLED = 1e-4
Source = NDArray[np.int32]


def synthesise(values: Float, hole: Mask, seed: int = 0) -> Source | None:
    """Where each pixel of a hole is best copied from.

    Parameters
    ----------
    values : float32, shape (h, w, 4), coded colour and coverage, 0..1
        What is in the hole does not count.
    hole : bool, shape (h, w)
    seed : int
        Another one finds other pieces.

    Returns
    -------
    int32, shape (h, w, 2): row and column; outside the hole, the pixel's own. None if no whole patch is known.
    """
    levels = [(values, hole)]
    deepest = float(cv2.distanceTransform(_framed(hole), cv2.DIST_L2, 5).max())
    while deepest > _COARSEST and min(levels[-1][1].shape) >= 8 * _R:
        levels.append(_halved(*levels[-1]))
        deepest /= 2
    # A coarse level may have no whole patch left where a fine one has.
    while levels and not _whole(levels[-1][1]).any():
        levels.pop()
    if not levels:
        return None
    source: Source | None = None
    for number in range(len(levels) - 1, -1, -1):
        known, inside = levels[number]
        begun = None if source is None else _finer(source, inside)
        filled = _first_guess(known, inside) if begun is None else _copied(known, inside, begun)
        meetings = _MEETINGS[0] if number == len(levels) - 1 else _MEETINGS[2] if number == 0 else _MEETINGS[1]
        source = _settled(filled, inside, begun, meetings, 7919 * (seed + 1) + number)
    return None if source is None else np.where(hole[..., None], source, _own(hole.shape))


def filled_from(values: Float, hole: Mask, source: Source, rounds: int = 400) -> Float:
    """The hole filled by copies whose steps to each other and to what is round them are taken out: float32 (h, w, channels)."""
    out = values.copy()
    rows, columns = np.nonzero(hole)
    out[rows, columns] = values[source[rows, columns, 0], source[rows, columns, 1]]
    _join(out, values, hole, source, rows, columns, rounds, 2 / (1 + np.pi / max(4.0, np.sqrt(rows.size))))
    return out


def _own(shape: tuple[int, ...]) -> Source:
    """Row and column of each pixel itself."""
    return np.moveaxis(np.indices(shape[:2], np.int32), 0, 2).copy()


def _framed(hole: Mask) -> NDArray[np.uint8]:
    """With a rim of what is known, so that distances count from the picture's border too."""
    return cv2.copyMakeBorder(hole.view(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)


def _whole(hole: Mask) -> Mask:
    """Middles of patches that are known as a whole and lie in the picture."""
    near = cv2.dilate(hole.view(np.uint8), np.ones((2 * _R + 1, 2 * _R + 1), np.uint8)) > 0
    near[:_R], near[-_R:], near[:, :_R], near[:, -_R:] = True, True, True, True
    out: Mask = ~near
    return out


def _halved(values: Float, hole: Mask) -> tuple[Float, Mask]:
    h, w = hole.shape
    size = ((w + 1) // 2, (h + 1) // 2)
    known = (~hole).astype(np.float32)
    share = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
    weighed = cv2.resize(values * known[..., None], size, interpolation=cv2.INTER_AREA).reshape(*share.shape, -1)
    return (weighed / np.maximum(share, 1e-3)[..., None]).astype(np.float32), share < 0.6


def _first_guess(values: Float, hole: Mask) -> Float:
    """Means of what is round the hole, from near to far."""
    out, known = values * ~hole[..., None], (~hole).astype(np.float32)
    left = known
    sigma = 1.0
    while (left < 0.05).any() and sigma < 4 * max(hole.shape):
        sigma *= 2
        soft = cv2.GaussianBlur(known, (0, 0), sigma)
        mean = cv2.GaussianBlur(values * known[..., None], (0, 0), sigma).reshape(values.shape) / np.maximum(soft, 1e-6)[..., None]
        fresh = (left < 0.05) & (soft >= 0.02)
        out[fresh] = mean[fresh]
        left = np.where(fresh, 1, left)
    return out.astype(np.float32)


def _finer(source: Source, hole: Mask) -> Source:
    """Where pixels are copied from at twice the size; outside the hole, themselves."""
    h, w = hole.shape
    out = _own((h, w))
    y, x = np.nonzero(hole)
    coarse = source[np.minimum(y // 2, source.shape[0] - 1), np.minimum(x // 2, source.shape[1] - 1)]
    out[y, x, 0] = np.clip(2 * coarse[:, 0] + y % 2, 0, h - 1)
    out[y, x, 1] = np.clip(2 * coarse[:, 1] + x % 2, 0, w - 1)
    return out


def _copied(values: Float, hole: Mask, source: Source) -> Float:
    out = values.copy()
    at = source[hole]
    out[hole] = values[at[:, 0], at[:, 1]]
    # What is still in the hole at this size has nothing to copy yet.
    nothing = hole & hole[source[..., 0], source[..., 1]]
    if nothing.any():
        out[nothing] = _first_guess(values, hole)[nothing]
    return out


def _settled(filled: Float, hole: Mask, begun: Source | None, meetings: int, seed: int) -> Source:
    whole = _whole(hole)
    choice = np.argwhere(whole).astype(np.int32)
    touched = cv2.dilate(hole.view(np.uint8), np.ones((2 * _R + 1, 2 * _R + 1), np.uint8)) > 0
    targets = np.argwhere(touched).astype(np.int32)
    rng = np.random.default_rng(seed)
    source = np.zeros((*hole.shape, 2), np.int32)
    source[touched] = choice[rng.integers(0, len(choice), len(targets))]
    if begun is not None:
        usable = touched & whole[begun[..., 0], begun[..., 1]]
        source[usable] = begun[usable]
    depth = cv2.distanceTransform(_framed(hole), cv2.DIST_L2, 5)[1:-1, 1:-1]
    trust = (_TRUST ** -np.minimum(depth, 40)).astype(np.float32)
    # Of a whole patch, as far as it lies in the picture.
    weight = cv2.boxFilter(trust, -1, (2 * _R + 1, 2 * _R + 1), normalize=False, borderType=cv2.BORDER_CONSTANT)
    cost = np.full(hole.shape, np.float32(np.inf))
    filled = np.ascontiguousarray(filled)
    # What was found on a coarser level is nearly right already.
    farthest = max(hole.shape) if begun is None else _NEARLY
    for meeting in range(meetings):
        _measure(filled, trust, weight, targets, source, cost)
        for sweep in range(_SWEEPS):
            salt = seed * 131 + 17 * meeting + sweep
            _search(filled, trust, weight, whole, touched, targets, source, cost, sweep % 2 == 1, salt, farthest)
        if meeting < meetings - 1:
            typical = float(np.percentile(cost[touched], 75))
            moved = _vote(filled, hole, targets, source, cost, trust, max(typical, 1e-6))
            if moved < _SETTLED:
                break
    return source


@compiled
def _distance(values: Float, trust: Float, weight: Float, y: int, x: int, v: int, u: int, most: np.float32) -> np.float32:
    """Mean squared difference of two patches, weighed by how far the first is trusted; `most` or more, if it is that."""
    h, w = trust.shape
    first, enough = max(-_R, -x), most * weight[y, x]
    # Unsigned, so that no index is looked at for being counted from the end; and a sum for each channel, which go side by side.
    wide, one, two, three = np.uint64(min(_R, w - 1 - x) - first + 1), np.uint64(1), np.uint64(2), np.uint64(3)
    p, q, r, s = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
    for dy in range(max(-_R, -y), min(_R, h - 1 - y) + 1):
        i, j, k, m = np.uint64(y + dy), np.uint64(x + first), np.uint64(v + dy), np.uint64(u + first)
        for n in range(wide):
            e = np.uint64(n)
            t, here, there = trust[i, j + e], j + e, m + e
            a, b = values[i, here, np.uint64(0)] - values[k, there, np.uint64(0)], values[i, here, one] - values[k, there, one]
            c, d = values[i, here, two] - values[k, there, two], values[i, here, three] - values[k, there, three]
            p += t * (a * a)
            q += t * (b * b)
            r += t * (c * c)
            s += t * (d * d)
        if (p + q) + (r + s) > enough:
            return most
    return ((p + q) + (r + s)) / max(weight[y, x], np.float32(1e-6))


@compiled
def _measure(values: Float, trust: Float, weight: Float, targets: NDArray[np.int32], source: Source, cost: Float) -> None:
    for i in range(targets.shape[0]):
        y, x = targets[i, 0], targets[i, 1]
        cost[y, x] = _distance(values, trust, weight, y, x, source[y, x, 0], source[y, x, 1], np.float32(np.inf))


@compiled
def _search(
    values: Float,
    trust: Float,
    weight: Float,
    whole: Mask,
    touched: Mask,
    targets: NDArray[np.int32],
    source: Source,
    cost: Float,
    back: bool,
    seed: int,
    farthest: int,
) -> None:
    h, w = whole.shape
    # Numbers that are the same on every machine (Knuth's linear congruence).
    state = np.uint64(seed) * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
    step = 1 if back else -1
    n = targets.shape[0]
    for k in range(n):
        i = n - 1 - k if back else k
        y, x = targets[i, 0], targets[i, 1]
        for side in range(2):
            r, c = (y + step, x) if side == 0 else (y, x + step)
            if r < 0 or c < 0 or r >= h or c >= w or not touched[r, c]:
                continue
            v, u = source[r, c, 0] - (r - y), source[r, c, 1] - (c - x)
            if 0 <= v < h and 0 <= u < w and whole[v, u]:
                found = _distance(values, trust, weight, y, x, v, u, cost[y, x])
                if found < cost[y, x]:
                    cost[y, x], source[y, x, 0], source[y, x, 1] = found, v, u
        reach = farthest
        while reach >= 1:
            state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
            v = source[y, x, 0] + int(state >> np.uint64(40)) % (2 * reach + 1) - reach
            state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
            u = source[y, x, 1] + int(state >> np.uint64(40)) % (2 * reach + 1) - reach
            if 0 <= v < h and 0 <= u < w and whole[v, u]:
                found = _distance(values, trust, weight, y, x, v, u, cost[y, x])
                if found < cost[y, x]:
                    cost[y, x], source[y, x, 0], source[y, x, 1] = found, v, u
            reach //= 2


@compiled
def _vote(values: Float, hole: Mask, targets: NDArray[np.int32], source: Source, cost: Float, trust: Float, typical: float) -> np.float32:
    """Fill the hole by what the patches over each pixel say; how far it changed, in the mean."""
    h, w, channels = values.shape
    total = np.zeros((h, w, channels), np.float32)
    weight = np.zeros((h, w), np.float32)
    for i in range(targets.shape[0]):
        y, x = targets[i, 0], targets[i, 1]
        v, u = source[y, x, 0], source[y, x, 1]
        share = trust[y, x] * np.float32(np.exp(-cost[y, x] / (2 * typical))) + np.float32(1e-9)
        for dy in range(-_R, _R + 1):
            r = y + dy
            if r < 0 or r >= h:
                continue
            for dx in range(-_R, _R + 1):
                c = x + dx
                if c < 0 or c >= w or not hole[r, c]:
                    continue
                weight[r, c] += share
                for k in range(channels):
                    total[r, c, k] += share * values[v + dy, u + dx, k]
    changed, count = np.float32(0), 0
    for r in range(h):
        for c in range(w):
            if hole[r, c] and weight[r, c] > 0:
                for k in range(channels):
                    now = total[r, c, k] / weight[r, c]
                    changed += abs(now - values[r, c, k])
                    values[r, c, k] = now
                count += channels
    return changed / np.float32(max(count, 1))


@compiled
def _join(
    out: Float,
    values: Float,
    hole: Mask,
    source: Source,
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    rounds: int,
    over: float,
) -> None:
    """Solve for the copies' own differences by successive over-relaxation."""
    h, w, channels = out.shape
    factor = np.float32(over)
    n = rows.size
    # What the four differences of each pixel come to does not change from round to round.
    pull, count = np.zeros((n, channels), np.float32), np.zeros(n, np.float32)
    for i in range(n):
        y, x = rows[i], columns[i]
        v, u = source[y, x, 0], source[y, x, 1]
        for side in range(4):
            r = y + (1 if side == 0 else -1 if side == 1 else 0)
            c = x + (1 if side == 2 else -1 if side == 3 else 0)
            if r < 0 or c < 0 or r >= h or c >= w:
                continue
            count[i] += np.float32(1)
            # The difference as the copy has it, and as the neighbour's copy has it.
            a, b = v + (r - y), u + (c - x)
            own = 0 <= a < h and 0 <= b < w and not hole[a, b]
            p, q = source[r, c, 0], source[r, c, 1]
            d, e = p - (r - y), q - (c - x)
            theirs = hole[r, c] and 0 <= d < h and 0 <= e < w and not hole[d, e]
            share = np.float32(0.5) if own and theirs else np.float32(1)
            for k in range(channels):
                if own:
                    pull[i, k] += share * (values[v, u, k] - values[a, b, k])
                if theirs:
                    pull[i, k] += share * (values[d, e, k] - values[p, q, k])
    for _ in range(rounds):
        most = np.float32(0)
        for i in range(n):
            y, x = rows[i], columns[i]
            if count[i] == 0:
                continue
            for k in range(channels):
                total = pull[i, k]
                if y > 0:
                    total += out[y - 1, x, k]
                if y < h - 1:
                    total += out[y + 1, x, k]
                if x > 0:
                    total += out[y, x - 1, k]
                if x < w - 1:
                    total += out[y, x + 1, k]
                off = factor * (total / count[i] - out[y, x, k])
                out[y, x, k] += off
                most = max(most, abs(off))
        if most < np.float32(2e-4):
            break
