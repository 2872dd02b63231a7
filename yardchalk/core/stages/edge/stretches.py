"""The outline in stretches, with figures for each: what an edge walk follows and what the checks of the edge look at."""

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel
from skimage.color import deltaE_ciede2000, rgb2lab

from yardchalk.core.colour import Float, encode
from yardchalk.core.stages.edge.matte import Cutout, Solution
from yardchalk.core.stages.edge.samples import light_at
from yardchalk.core.stages.edge.weigh import refine

_LENGTH = 48  # px of the analysis picture
_LEAST = 24  # px; a shorter outline is no stretch
_SMOOTH = 4.0  # px along the outline that roughness is measured against
_RIM = 2.0  # px
_FRAME = 3  # px
_STEADY = 0.01  # variance of coverage that is taken to be there; few pixels make no slope
TOLD = 0.25  # how well the known backdrop must tell to be named as what told


class Stretch(BaseModel):
    """A piece of the outline.

    Attributes
    ----------
    box : x, y, width, height in px of the original.
    at : its middle, x and y in shares of the frame.
    length : px of the original.
    fringe_before, fringe : how much of the backdrop's colour the edge has, mean ΔE00, as shot and freed; see `_fringes`.
    width : of the edge from 10 to 90 % coverage, px of the original.
    roughness : root mean square distance from the smoothed outline, px of the original.
    told, looked : shares of it, 0..1, in which the known backdrop told product from backdrop, and a close look; in the rest the
        colours alone did.
    contrast : between product and backdrop, mean ΔE00.
    fine : share of it that is thin detail, 0..1.
    """

    box: tuple[int, int, int, int]
    at: tuple[float, float]
    length: float
    fringe_before: float
    fringe: float
    width: float
    roughness: float
    told: float
    looked: float
    contrast: float
    fine: float


def outline_stretches(
    solution: Solution, pixels: NDArray[np.uint8], scale: float, freed: float = 1.0, cut: Cutout | None = None, shown: Float | None = None
) -> list[Stretch]:
    """All stretches, along each piece of the outline in turn, the longest piece first.

    Parameters
    ----------
    solution : of the analysis picture.
    pixels : uint8, shape (h, w, 3)
        That, coded.
    scale : its px for one px of the original.
    freed : how far edges are freed of the backdrop's colour, 0..1.
    cut : the analysis picture, cut out; by default as the solution has it.
    shown : float32, shape (h, w)
        Coverage after clean-up, of which the outline's course, width and roughness are; by default the solution's.
    """
    h, w = solution.alpha.shape
    rows, columns = solution.band
    shown = solution.alpha if shown is None else shown
    lines, _ = cv2.findContours((shown > 0.5).view(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    lines = sorted((line[:, 0] for line in lines if len(line) >= _LEAST), key=len, reverse=True)
    if not lines or not rows.size:
        return []
    pieces: list[NDArray[np.intp]] = []
    rough: list[float] = []
    for line in lines:
        off = np.hypot(*(line - _smoothed(line)).T)
        n = max(1, round(len(line) / _LENGTH))
        # Along the frame the product goes on outside; that is no edge of it.
        x, y = line.T
        frame = (x < _FRAME) | (y < _FRAME) | (x >= w - _FRAME) | (y >= h - _FRAME)
        for part in np.array_split(np.arange(len(line)), n):
            if frame[part].mean() > 0.5:
                continue
            pieces.append(line[part])
            rough.append(float(np.sqrt((off[part] ** 2).mean())))
    if not pieces:
        return []
    seeds = np.zeros((h, w), bool)
    piece_of = np.zeros((h, w), np.int32)
    for i, piece in enumerate(pieces):
        seeds[piece[:, 1], piece[:, 0]] = True
        piece_of[piece[:, 1], piece[:, 0]] = i
    _, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    of_label = np.zeros(int(labels.max()) + 1, np.int32)
    of_label[labels[seeds]] = piece_of[seeds]
    mine = of_label[labels[rows, columns]]
    cut = refine(solution, pixels, (w, h), 0, 0) if cut is None else cut
    place = np.full((h, w), -1, np.int32)
    place[cut.rows, cut.columns] = np.arange(cut.rows.size)
    seen = light_at(pixels, rows, columns)[:, :3]
    # Of full or no coverage most keep the colour they had, and the cutout does not list them.
    listed = place[rows, columns]
    own = np.where(listed[:, None] >= 0, cut.colour[listed], seen)
    order = solution.index[rows, columns] - 1
    front, behind = solution.front[order, :3], solution.behind[order, :3]
    told, fine, looked = solution.doubt[order, 3] > TOLD, solution.doubt[order, 2] > 0.5, solution.doubt[order, 4] >= 0
    lab_front, lab_behind, lab_seen, lab_own = (_lab(light) for light in (front, behind, seen, freed * own + (1 - freed) * seen))
    contrast = deltaE_ciede2000(lab_front, lab_behind)
    alpha = solution.alpha[rows, columns]
    depth = solution.distance[rows, columns]
    n = len(pieces)
    leans = [_lean(lab, lab_front, lab_behind) * contrast for lab in (lab_seen, lab_own)]
    before, after = (_fringes(lean, alpha, depth, mine, n) for lean in leans)

    def mean(values: NDArray[np.floating], where: NDArray[np.bool_]) -> NDArray[np.float64]:
        return np.bincount(mine[where], values[where].astype(float), n) / np.maximum(np.bincount(mine[where], minlength=n), 1)

    everywhere = np.ones(mine.size, bool)
    figures = [before, after, mean(told, everywhere), mean(contrast, everywhere), mean(fine, everywhere), mean(looked, everywhere)]
    edge = shown[rows, columns]
    soft = np.bincount(mine[(edge > 0.1) & (edge < 0.9)], minlength=n)
    out = []
    for i, piece in enumerate(pieces):
        x, y = piece.min(0)
        right, bottom = piece.max(0) + 1
        middle = piece[len(piece) // 2]
        length = float(np.hypot(*np.diff(piece, axis=0).T).sum()) + 1
        out.append(
            Stretch(
                box=(int(x / scale), int(y / scale), int(np.ceil((right - x) / scale)), int(np.ceil((bottom - y) / scale))),
                at=(round(float((middle[0] + 0.5) / w), 5), round(float((middle[1] + 0.5) / h), 5)),
                length=round(length / scale, 1),
                fringe_before=round(float(figures[0][i]), 2),
                fringe=round(float(figures[1][i]), 2),
                width=round(float(soft[i]) / length / scale, 2),
                roughness=round(rough[i] / scale, 2),
                told=round(float(figures[2][i]), 2),
                looked=round(float(figures[5][i]), 2),
                contrast=round(float(figures[3][i]), 1),
                fine=round(float(figures[4][i]), 2),
            )
        )
    return out


def _smoothed(line: NDArray[np.intp]) -> NDArray[np.float64]:
    reach = int(3 * _SMOOTH)
    weight = np.exp(-0.5 * (np.arange(-reach, reach + 1) / _SMOOTH) ** 2)
    closed = np.concatenate([line[-reach:], line, line[:reach]]).astype(float)
    return np.column_stack([np.convolve(closed[:, k], weight / weight.sum(), "valid") for k in (0, 1)])


def _lab(light: Float) -> NDArray[np.float64]:
    return rgb2lab(encode(light)[None])[0]


def _fringes(lean: NDArray[np.float64], alpha: Float, depth: Float, piece: NDArray[np.int32], n: int) -> NDArray[np.float64]:
    """What of the edge's lean towards the backdrop, ΔE00 by pixel, is the backdrop's doing: mean by piece.

    A product's own colour changes towards its rim as well, as glaze does that mirrors the set. But what is left of the backdrop
    grows as coverage falls, from none at full coverage to all of it at none: the slope, at half coverage. And where coverage is
    full but the border is wrapped in backdrop, the outermost 2 px lean more than those deeper in.
    """

    def total(values: NDArray[np.floating], where: NDArray[np.bool_]) -> NDArray[np.float64]:
        out: NDArray[np.float64] = np.bincount(piece[where], values[where].astype(float), n).astype(np.float64)
        return out

    ones, gone = np.ones(lean.size), 1.0 - alpha
    edge = (alpha > 0.1) & (alpha < 0.98)
    count = np.maximum(total(ones, edge), 1)
    x, y = total(gone, edge) / count, total(lean, edge) / count
    slope = (total(gone * lean, edge) / count - x * y) / np.maximum(total(gone * gone, edge) / count - x * x + _STEADY, _STEADY)
    solid = alpha >= 0.98
    rim, deeper = solid & (depth < _RIM), solid & (depth >= _RIM) & (depth < 2 * _RIM)
    wrapped = [total(lean, where) / np.maximum(total(ones, where), 1) for where in (rim, deeper)]
    return np.maximum(slope, wrapped[0] - wrapped[1]) / 2


def _lean(lab: NDArray[np.float64], front: NDArray[np.float64], behind: NDArray[np.float64]) -> NDArray[np.float64]:
    step = behind - front
    # Signed: a product's own colours vary to either side, the backdrop's only pull to one.
    return np.clip(((lab - front) * step).sum(1) / np.maximum((step**2).sum(1), 1e-6), -1, 1)
