"""Do the checks find what is wrong, where it is, and nothing where all is right?

Perfect pictures are made from truth: true coverage and colours, laid on a clean even backdrop for the photo and on white for the
result. Then one fault is put into one of them at a time.
"""

import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from typing import Any

import cv2
import numpy as np

from bench.quality import photos, unit
from bench.table import show
from yardchalk.core.checks import Checked, Finding, run_checks
from yardchalk.core.checks.lot import MEASURES, check_lot
from yardchalk.core.codecs import encode_picture, inspect_photo
from yardchalk.core.colour import Float, decode, newly_clipped, to_coded, to_linear
from yardchalk.core.regions import disc
from yardchalk.core.render import Decisions, Render
from yardchalk.core.settings import ListingSpec, Marks, load_sheet
from yardchalk.core.softness import softness
from yardchalk.core.stages.edge.describe import describe_band
from yardchalk.core.stages.edge.matte import Cutout, Matte
from yardchalk.core.stages.edge.stretches import outline_stretches
from yardchalk.core.stages.place import Placing, place, product_box

EACH = 20
# What these say is of the photo, not of the result: where it can be wrong, whether or not it is.
DOUBTS = frozenset({"too-alike", "weak-outline", "fine-detail"})
SPEC = ListingSpec.model_validate({"name": "white-png", "file": "png", "canvas": {"width": 2000, "height": 2000}, "fill": 85})
_LEVEL, _FALL, _NOISE = 238, 0.06, 0.004
_NOTHING_FAINT = 0.004  # coverage of which an eight-bit truth knows nothing
Box = tuple[float, float, float, float]


@dataclass
class Case:
    """A perfect picture, or one with a fault.

    Attributes
    ----------
    alpha : float32 (h, w); colour : linear light (h, w, 3), wherever there is coverage.
    light : of the backdrop's lamp, factors on linear light.
    deeper : how far edge colours lean to the backdrop's, 0..1 (h, w).
    """

    stem: str
    alpha: Float
    colour: Float
    light: tuple[float, float, float] = (1.0, 1.0, 1.0)
    lean: Float | None = None
    marks: Marks = field(default_factory=Marks)
    photo: bytes | None = None

    @cached_property
    def render(self) -> Render:
        return Render(self.photo or self.shot(), self.stem, load_sheet("transparent"), self.marks)

    def backdrop(self) -> Float:
        h, w = self.alpha.shape
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        fall = 1 - _FALL * ((x / w) * 0.7 + (y / h) * 0.3)
        return (decode(np.array(_LEVEL / 255)) * fall)[..., None] * np.array(self.light, np.float32)

    def shot(self) -> bytes:
        """The photo of it on a clean backdrop."""
        a = self.alpha[..., None]
        light = a * self.colour + (1 - a) * self.backdrop()
        light *= 1 + np.random.default_rng(1).normal(0, _NOISE, (*self.alpha.shape, 1)).astype(np.float32)
        return encode_picture(to_coded(light.astype(np.float32), np.uint8), "png")

    def checked(
        self, edit: Callable[[np.ndarray, Float], None] = lambda p, a: None, placing: Placing | None = None, **other: Any
    ) -> Checked:
        """All that the checks look at, with the result as it is in truth; `edit` changes it and its coverage."""
        r = self.render
        s = r.analysis_scale
        h, w = self.alpha.shape
        size = (round(w * s), round(h * s))
        small = cv2.resize(self.alpha, size, interpolation=cv2.INTER_AREA)
        colour = cv2.resize(self._leaning(), size, interpolation=cv2.INTER_AREA)
        d = Decisions(small > 0.5, r.decisions_backdrop, r.evidence.shade_noise)
        kept = (small > 0.5).astype(np.uint8)
        thin = (small > 0) & (cv2.dilate(cv2.morphologyEx(kept, cv2.MORPH_OPEN, disc(9)), disc(5)) == 0)
        solution = describe_band(r.analysis, Matte(small, thin, np.ones_like(small), 0.8), d.backdrop.light(*size))
        rows, columns = np.nonzero(solution.index > 0)
        cut = Cutout(small, rows, columns, colour[rows, columns])
        own = replace(solution, alpha=small)
        at = placing or place(SPEC, w, h, product_box(self.alpha))
        alpha, before = _warped(self.alpha, at), _warped(self._leaning(), at)
        before = np.where(alpha[..., None] > 0, before, 1)
        pixels = to_coded((alpha[..., None] * before + (1 - alpha[..., None])).astype(np.float32), np.uint8)
        pixels[alpha == 0] = 255
        shown = pixels.copy()
        edit(pixels, alpha)
        burnt, drowned = (np.where(alpha > 0.98, n, 0).astype(np.uint8) for n in newly_clipped(shown, pixels))
        clearing = replace(r.clearing, product=small > 0.5)
        values: dict[str, Any] = {
            "facts": r.facts,
            "spec": SPEC,
            "clearing": clearing,
            "evidence": r.evidence,
            "analysis_scale": s,
            "alpha": alpha,
            "covered": _from_canvas(alpha, at, s, small.shape),
            "laid_over": alpha,
            "stretches": outline_stretches(own, r.analysis, s, 1.0, cut),
            "placing": at,
            "burnt": burnt,
            "drowned": drowned,
            "colours": _colours(r, small),
            "cast": r.cast,
            "blur": r.blur,
            "result": pixels,
            "data": b"",
            "result_facts": _png_facts(),
            "looked": r.second_look,
        }
        return Checked(**{**values, **other})

    def _leaning(self) -> Float:
        if self.lean is None:
            return self.colour
        t = self.lean[..., None]
        return ((1 - t) * self.colour + t * self.backdrop()).astype(np.float32)


def _colours(r: Render, small: Float) -> Any:
    from yardchalk.core.stages.clear.advice import overlap_of_colours

    return overlap_of_colours(r.analysis, r.decisions_backdrop, small < 0.5)


@cache
def _png_facts() -> Any:
    return inspect_photo(encode_picture(np.full((16, 16, 3), 255, np.uint8), "png"), "result")


def _warped(values: Float, at: Placing) -> Float:
    """On the canvas, without a float too much: what a photo's px average to there."""
    if at.scale < 1:
        h, w = values.shape[:2]
        small = cv2.resize(values, (round(w * at.scale), round(h * at.scale)), interpolation=cv2.INTER_AREA)
        move = np.array([[1, 0, at.left], [0, 1, at.top]], np.float32)
        return cv2.warpAffine(small, move, (at.width, at.height)).astype(np.float32)
    move = np.array([[at.scale, 0, at.left + (at.scale - 1) / 2], [0, at.scale, at.top + (at.scale - 1) / 2]])
    return cv2.warpAffine(values, move, (at.width, at.height), flags=cv2.INTER_LINEAR).astype(np.float32)


def _from_canvas(values: Float, at: Placing, scale: float, shape: tuple[int, ...]) -> Float:
    """What the canvas has, on the analysis picture."""
    step = at.scale / scale
    move = np.array([[step, 0, at.left + (step - 1) / 2], [0, step, at.top + (step - 1) / 2]])
    return cv2.warpAffine(values, move, shape[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP).astype(np.float32)


@cache
def perfect(number: int) -> Case:
    """A perfect picture from the truth of a demo photo."""
    path, truth = photos("demo")[number]
    alpha = unit(truth)
    alpha = np.where(alpha < _NOTHING_FAINT, 0, alpha).astype(np.float32)
    colour = decode(unit(truth.with_name(f"{path.stem}_Fcast.png"))).astype(np.float32)
    # Truth has no colour where nothing is; the nearest one goes on, so that sizes may mix.
    _, label = cv2.distanceTransformWithLabels((alpha == 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    first = np.zeros(int(label.max()) + 1, np.intp)
    first[label[alpha > 0]] = np.flatnonzero(alpha > 0)
    return Case(path.stem, alpha, colour.reshape(-1, 3)[first[label]])


COUNT = len(photos("demo"))
_CUT_OFF = frozenset({"PW-1015"})  # in the photo itself


# One fault --------------------------------------------------------------------------------------------------------------


@dataclass
class Seeded:
    """Findings, and where the fault is: a box x, y, width, height in px of the original or of the result; None for everywhere."""

    findings: list[Finding]
    box: Box | None
    on: str = "original"


Maker = Callable[[Case, np.random.Generator, float], Seeded | None]


def _disc(shape: tuple[int, int], x: float, y: float, area: float) -> np.ndarray:
    yy, xx = np.mgrid[0 : shape[0], 0 : shape[1]]
    if area < 4:
        out = np.zeros(shape, bool)
        out[int(y), int(x)] = True
        return out
    return (xx - x) ** 2 + (yy - y) ** 2 <= area / np.pi


def _box(mask: np.ndarray) -> Box:
    rows, columns = np.flatnonzero(mask.any(1)), np.flatnonzero(mask.any(0))
    return int(columns[0]), int(rows[0]), int(columns[-1] - columns[0] + 1), int(rows[-1] - rows[0] + 1)


def _somewhere(where: np.ndarray, rng: np.random.Generator) -> tuple[int, int] | None:
    at = np.flatnonzero(where)
    if not at.size:
        return None
    y, x = divmod(int(rng.choice(at)), where.shape[1])
    return x, y


def _away(alpha: Float, far: float) -> np.ndarray:
    """Where nothing is, farther than that from the product and from the frame, px."""
    free = np.zeros(alpha.shape, np.uint8)
    free[1:-1, 1:-1] = alpha[1:-1, 1:-1] == 0
    return cv2.distanceTransform(free, cv2.DIST_L2, 5) > far


def _deep(alpha: Float, far: float) -> np.ndarray:
    return cv2.distanceTransform((alpha > 0.99).astype(np.uint8), cv2.DIST_L2, 5) > far


def island(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    area = 2000 * 2000 * 0.02 * (1 / (2000 * 2000 * 0.02)) ** (1 - t)
    found: list[Box] = []

    def edit(pixels: np.ndarray, alpha: Float) -> None:
        at = _somewhere(_away(alpha, np.sqrt(area / np.pi) + 4), rng)
        if at:
            there = _disc(alpha.shape, *at, area) & (alpha == 0)
            pixels[there] = int(rng.integers(235, 255))
            found.append(_box(there))

    checked = case.checked(edit)
    return Seeded(run_checks(checked), found[0], "result") if found else None


def _with_alpha(case: Case, alpha: Float, colour: Float | None = None) -> Case:
    return replace(case, alpha=alpha, colour=case.colour if colour is None else colour, photo=case.render.data)


def filled_gap(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    area = case.alpha.size * 0.0006 * (0.02 / 0.0006) ** t
    at = _somewhere(cv2.morphologyEx((case.alpha > 0.5).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0, rng)
    if at is None:
        return None
    there = _disc(case.alpha.shape, *at, 2 * area) & (case.alpha < 0.5)
    colour = np.where(there[..., None], case.backdrop(), case.colour).astype(np.float32)
    return Seeded(run_checks(_with_alpha(case, np.where(there, np.float32(1), case.alpha), colour).checked()), _box(there))


def missing(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    area = case.alpha.size * 0.0015 * (0.02 / 0.0015) ** t
    at = _somewhere(cv2.morphologyEx((case.alpha > 0.5).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0, rng)
    if at is None or case.checked().colours.share > 0.15:
        return None
    there = _disc(case.alpha.shape, *at, 2 * area) & (case.alpha > 0.5)
    if there.sum() < 0.0015 * case.alpha.size or there.sum() > 0.9 * (case.alpha > 0.5).sum():
        return None
    return Seeded(run_checks(_with_alpha(case, np.where(there, np.float32(0), case.alpha)).checked()), _box(there))


def ghost(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    found: list[Box] = []

    def edit(pixels: np.ndarray, alpha: Float) -> None:
        area = 30 * (0.02 * alpha.size / 30) ** t
        at = _somewhere(_away(alpha, np.sqrt(area / np.pi) + 8), rng)
        if at:
            there = _disc(alpha.shape, *at, area) & (alpha == 0)
            alpha[there] = rng.uniform(0.02, 0.09)
            found.append(_box(there))

    checked = case.checked(edit)
    return Seeded(run_checks(checked), found[0], "result") if found else None


def pinhole(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    found: list[Box] = []

    def edit(pixels: np.ndarray, alpha: Float) -> None:
        area = 40 * (0.005 * alpha.size / 40) ** t
        at = _somewhere(_deep(alpha, np.sqrt(area / np.pi) + 4), rng)
        if at:
            there = _disc(alpha.shape, *at, area)
            alpha[there] = rng.uniform(0.1, 0.85)
            found.append(_box(there))

    checked = case.checked(edit)
    return Seeded(run_checks(checked), found[0], "result") if found else None


def ring(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    """A ring of 2 px in which the colour is mostly the backdrop's."""
    inside = cv2.distanceTransform((case.alpha > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    lean = np.where((inside <= 2) & (case.alpha > 0), np.float32(0.5 + 0.5 * t), np.float32(0))
    if np.mean([s.contrast for s in case.checked().stretches]) < 12:
        return None  # nothing that an eye could see
    return Seeded(run_checks(replace(case, lean=lean, photo=case.render.data).checked()), None)


def _clipped(level: int) -> Maker:
    def make(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
        found: list[Box] = []

        def edit(pixels: np.ndarray, alpha: Float) -> None:
            area = float((alpha > 0.98).sum()) * 0.0015 * (0.02 / 0.0015) ** t
            at = _somewhere(_deep(alpha, np.sqrt(area / np.pi)), rng)
            if at:
                there = _disc(alpha.shape, *at, area)
                pixels[there] = level
                found.append(_box(there))

        checked = case.checked(edit)
        return Seeded(run_checks(checked), found[0], "result") if found else None

    return make


def cut_off(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    left, top, right, bottom = product_box(case.alpha)
    share = 0.02 + 0.2 * t
    side = int(rng.integers(4))
    crop = [0.0, 0.0, 1.0, 1.0]
    crop[side] = (left, top, right, bottom)[side] + (1 if side < 2 else -1) * share * ((right - left) if side % 2 == 0 else (bottom - top))
    h, w = case.alpha.shape
    x0, y0, x1, y1 = round(crop[0] * w), round(crop[1] * h), round(crop[2] * w), round(crop[3] * h)
    part = np.s_[y0:y1, x0:x1]
    shot = encode_picture(np.ascontiguousarray(case.render.photo(1.0).pixels[part]), "png")
    made = Case(case.stem, case.alpha[part].copy(), case.colour[part].copy(), photo=shot)
    if made.alpha.shape[0] < 200 or made.alpha.shape[1] < 200:
        return None
    hh, ww = made.alpha.shape
    edge: Box = ((0, 0, 6, hh), (0, 0, ww, 6), (ww - 6, 0, 6, hh), (0, hh - 6, ww, 6))[side]
    return Seeded(run_checks(made.checked()), edge)


def wrong_margin(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    h, w = case.alpha.shape
    p = place(SPEC, w, h, product_box(case.alpha))
    if rng.random() < 0.5:
        spec = SPEC.model_copy(
            update={"fill": SPEC.fill * (1 - 0.02 - 0.3 * t) if rng.random() < 0.5 else min(99.0, SPEC.fill * (1.02 + 0.1 * t))}
        )
        p = place(spec, w, h, product_box(case.alpha))
    else:
        p = replace(p, left=p.left + round((0.02 + 0.05 * t) * p.width * rng.choice([-1, 1])))
    return Seeded(run_checks(case.checked(placing=p)), None)


def stray(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    s = case.render.analysis_scale
    least, most = 60 / s**2, 0.004 * float((case.alpha > 0.5).sum())
    pieces = cv2.connectedComponents((case.alpha > 0.5).astype(np.uint8))[0] - 1
    if most < least or pieces > 1:
        return None
    area = least * (most / least) ** t
    at = _somewhere(_away(case.alpha, np.sqrt(area / np.pi) + 12), rng)
    if at is None:
        return None
    there = _disc(case.alpha.shape, *at, area)
    return Seeded(run_checks(_with_alpha(case, np.where(there, np.float32(1), case.alpha)).checked()), _box(there))


def _edge_fault(change: Callable[[Float, np.random.Generator, float], Float]) -> Maker:
    def make(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
        alpha = change(case.alpha, rng, t)
        return Seeded(run_checks(_with_alpha(case, alpha.astype(np.float32)).checked()), None)

    return make


def _jagged(alpha: Float, rng: np.random.Generator, t: float) -> Float:
    h, w = alpha.shape
    reach = (3 + 4 * t) * max(h, w) / 1600
    noise = [cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(np.float32), (0, 0), 3 * max(h, w) / 1600) for _ in range(2)]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    moved = [grid + reach * n / n.std() for grid, n in zip((x, y), noise, strict=True)]
    return cv2.remap(alpha, moved[0], moved[1], cv2.INTER_LINEAR).astype(np.float32)


def cast(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    strength = 0.05 + 0.2 * t
    warm = rng.random() < 0.5
    lamp = (1 + strength, 1.0, 1 - strength) if warm else (1 - strength, 1.0, 1.0 + strength * 0.6)
    made = replace(
        case,
        light=(lamp[0] / max(lamp), lamp[1] / max(lamp), lamp[2] / max(lamp)),
        photo=None,
        colour=(case.colour * np.array(lamp, np.float32) / max(lamp)),
    )
    return Seeded(run_checks(made.checked()), None)


def alike(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    """The product in the backdrop's own colour, but for its lower part and its edge."""
    share = 0.35 + 0.6 * t
    h = case.alpha.shape[0]
    _, top, _, bottom = product_box(case.alpha)
    upper = (np.arange(h) < h * (top + share * (bottom - top)))[:, None]
    there = upper & _deep(case.alpha, 6)
    if there.sum() < 0.25 * (case.alpha > 0.5).sum():
        return None
    colour = np.where(there[..., None], case.backdrop(), case.colour).astype(np.float32)
    return Seeded(run_checks(replace(case, colour=colour, photo=None).checked()), _box(there))


def wrong_file(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    facts = _png_facts()
    changed = [
        {"result_facts": facts.model_copy(update={"format": "JPEG"})},
        {"result_facts": facts.model_copy(update={"profile": "Display P3"})},
        {"result_facts": facts.model_copy(update={"has_alpha": True})},
        {"data": bytes(200_000), "spec": SPEC.model_copy(update={"max_bytes": 150_000})},
    ][int(rng.integers(4))]
    return Seeded(run_checks(case.checked(**changed)), None)


@cache
def _lot() -> list[dict[str, float | None]]:
    """Figures of the perfect pictures, as a lot."""
    out: list[dict[str, float | None]] = []
    for i in range(COUNT):
        c = perfect(i).checked()
        out.append({**dict.fromkeys([m.key for m in MEASURES], 100.0), "softness (px)": softness(c.result, c.alpha, c.placing.scale)})
    return out


def soft(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    at = next(i for i in range(COUNT) if perfect(i).stem == case.stem)
    c = case.checked()
    if _lot()[at]["softness (px)"] is None:
        return None
    blurred = cv2.GaussianBlur(c.result, (0, 0), (3 + 3 * t) * max(c.placing.scale, 1))
    lot = [dict(figures) for figures in _lot()]
    lot[at]["softness (px)"] = softness(blurred, c.alpha, c.placing.scale)
    return Seeded(check_lot(lot)[at], None)


def out_of_focus(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    blur = 3 + 3 * t
    light = cv2.GaussianBlur(to_linear(case.render.photo(1.0).eight_bit().pixels), (0, 0), blur)
    made = replace(case, alpha=cv2.GaussianBlur(case.alpha, (0, 0), blur), photo=encode_picture(to_coded(light, np.uint8), "png"))
    return Seeded(run_checks(made.checked()), None)


def odd(case: Case, rng: np.random.Generator, t: float) -> Seeded | None:
    measure = MEASURES[int(rng.integers(len(MEASURES) - 1))]
    lot: list[dict[str, float | None]] = [{measure.key: float(rng.normal(100, measure.least))} for _ in range(40)]
    lot[7] = {measure.key: 100 + (6 + 10 * t) * measure.least * float(rng.choice([-1, 1]))}
    return Seeded(check_lot(lot)[7], None)


FAULTS: dict[str, tuple[str, Maker]] = {
    "island off white": ("off-white", island),
    "burnt highlight": ("lost-highlights", _clipped(255)),
    "drowned shadow": ("lost-shadows", _clipped(0)),
    "filled gap": ("left-behind", filled_gap),
    "missing part": ("missing-part", missing),
    "ghost smudge": ("ghosts", ghost),
    "pinhole": ("pinholes", pinhole),
    "ring of 2 px": ("fringe", ring),
    "stray piece": ("stray-piece", stray),
    "rough outline": ("ragged-edge", _edge_fault(_jagged)),
    "edge cut too sharp": ("ragged-edge", _edge_fault(lambda a, rng, t: cv2.resize((a > 0.5).astype(np.float32), a.shape[::-1]))),
    "edge too soft": ("ragged-edge", _edge_fault(lambda a, rng, t: cv2.GaussianBlur(a, (0, 0), (5 + 4 * t) * max(a.shape) / 1600))),
    "cut off by the frame": ("cut-off", cut_off),
    "cast": ("cast", cast),
    "product as the backdrop": ("too-alike", alike),
    "wrong margin": ("framing", wrong_margin),
    "wrong file": ("file", wrong_file),
    "out of focus": ("out-of-focus", out_of_focus),
    "soft picture": ("soft-picture", soft),
    "odd one out": ("odd-one-out", odd),
}


def _places(finding: Finding, on: str, at: Placing | None) -> list[Box]:
    """Boxes of the finding's places: of many that were gathered, each by its own outline."""
    if finding.place is None:
        return []
    lines = [np.array(line) for line in finding.place.outline or []]
    if on == "original":
        return [(*line.min(0), *np.ptp(line, axis=0)) for line in lines] or [finding.place.original]
    moved = [line * at.scale + np.array([at.left, at.top]) for line in lines] if at else []
    return [(*line.min(0), *np.ptp(line, axis=0)) for line in moved] or ([finding.place.result] if finding.place.result else [])


def _touch(a: Box, b: Box) -> bool:
    return a[0] < b[0] + b[2] and b[0] < a[0] + a[2] and a[1] < b[1] + b[3] and b[1] < a[1] + a[3]


def seed(fault: str) -> tuple[str, int, int, int, list[str]]:
    """How many were made, found, and found in the right place; and which were not."""
    cv2.setNumThreads(1)
    warnings.simplefilter("ignore")
    check, make = FAULTS[fault]
    rng = np.random.default_rng(sum(map(ord, fault)))
    made = found = placed = 0
    missed: list[str] = []
    for _ in range(12 * EACH):
        if made == EACH:
            break
        case = perfect(int(rng.integers(COUNT)))
        seeded = make(case, rng, made / (EACH - 1))
        if seeded is None:
            continue
        made += 1
        mine = [finding for finding in seeded.findings if finding.check == check]
        found += bool(mine)
        h, w = case.alpha.shape
        at = place(SPEC, w, h, product_box(case.alpha))
        places = [box for finding in mine for box in _places(finding, seeded.on, at)]
        right = bool(mine) and (seeded.box is None or any(_touch(place, seeded.box) for place in places))
        placed += right
        if not right:
            missed.append(f"{case.stem[:7]} size {made}")
    return fault, made, found, placed, missed


def clean(number: int) -> tuple[str, list[str], list[str]]:
    """What the checks find in a perfect picture: faults, and doubts."""
    cv2.setNumThreads(1)
    case = perfect(number)
    findings = [f for f in run_checks(case.checked()) if f.severity != "note" and not (f.check == "cut-off" and case.stem[:7] in _CUT_OFF)]
    words = [f"{f.check} {f.figure:g} {f.unit}" for f in findings if f.check not in DOUBTS]
    return case.stem, words, sorted({f.check for f in findings if f.check in DOUBTS})


def run() -> dict[str, float]:
    with ProcessPoolExecutor(2) as pool:
        pictures = list(pool.map(clean, range(COUNT)))
        rows = list(pool.map(seed, FAULTS))
    show(
        "Perfect pictures: what the checks find in them",
        ["", "faults", "doubts about the photo"],
        [[stem, "; ".join(faults) or "none", ", ".join(doubts) or "none"] for stem, faults, doubts in pictures],
    )
    show(
        "Seeded faults: found, and in the right place",
        ["", "check", "made", "found", "in place", "not"],
        [[fault, FAULTS[fault][0], str(n), str(found), str(right), "; ".join(missed) or "-"] for fault, n, found, right, missed in rows],
    )
    made, right = sum(row[1] for row in rows), sum(row[3] for row in rows)
    return {
        "false alarms in perfect pictures": float(sum(len(faults) for _, faults, _ in pictures)),
        "seeded faults found in place (%)": 100 * right / max(made, 1),
        "worst kind of seeded fault found in place (%)": min(100 * row[3] / max(row[1], 1) for row in rows),
    }
