"""A camera: what was rendered becomes a photo with blur, cast, vignette, noise, dust, seams and JPEG; and its true coverage.

And careless hands: out of focus, burnt out, noisy, developed with much contrast or sharpening, packed hard.
"""

from dataclasses import dataclass
from enum import Enum, auto

import cv2
import numpy as np
import simplejpeg
from numpy.random import Generator
from numpy.typing import NDArray

from teaching.inks import cut_out, printed
from yardchalk.core.colour import Float, decode, encode

_FULL_WELL = 9000  # electrons
_FAR = np.float32(1000)  # px
_WITH_HOLES, _ONLY_HOLES = 0.4, 0.25  # of the photos of flat things with print or holes
_SOLID = 200  # px; by fewer no exposure is found


@dataclass(frozen=True)
class Taken:
    """A photo: the file, a JPEG; true coverage (h, w); and the product's share of the light, premultiplied, linear (h, w, 3)."""

    data: bytes
    coverage: Float
    product: Float


class Carelessness(Enum):
    OUT_OF_FOCUS = auto()
    BURNT_OUT = auto()
    BACKDROP_BURNT_OUT = auto()  # by lamps of its own, so that the product is as it was
    NOISY = auto()
    CONTRASTY = auto()
    SHARPENED = auto()
    MADE_QUIET = auto()
    PACKED_HARD = auto()

    @classmethod
    def any(cls, r: Generator) -> "Carelessness":
        """One of them, each as likely."""
        return cls(int(r.integers(len(cls))) + 1)


@dataclass(frozen=True)
class Layers:
    """Of a rendered scene, linear light: product with what it covers (h, w, 3), coverage (h, w), backdrop behind it (h, w, 3)."""

    product: Float
    coverage: Float
    backdrop: Float


def layers_of(rendered: Float) -> Layers:
    """Part what was rendered (h, w, 7), and take the grain of few rays out of both parts; coverage is left exact."""
    light, coverage, product = rendered[..., :3], rendered[..., 3], rendered[..., 4:]
    free = np.clip(1 - coverage, 0, 1)
    free[free < 0.04] = 0
    backdrop = np.where(free[..., None] > 0, (light - product) / np.maximum(free, 0.04)[..., None], 0)
    return Layers(_even_product(product, coverage), coverage, _even_backdrop(np.maximum(backdrop, 0), free))


def _blurred(values: Float, sigma: float) -> Float:
    return cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)


def _even_backdrop(light: Float, weight: Float) -> Float:
    """Means over what is seen of it, wider away from the product; what the product hides is filled in from far around."""

    def mean(sigma: float) -> tuple[Float, Float]:
        return _blurred(light * weight[..., None], sigma), _blurred(weight, sigma)

    h, w = weight.shape
    eighth = max(1, w // 8), max(1, h // 8)
    far, far_weight = (cv2.resize(part, eighth, interpolation=cv2.INTER_AREA) for part in (light * weight[..., None], weight))
    total = _blurred(far, 6.0) + 1e-4 * far.mean((0, 1))
    filled = total / np.maximum(_blurred(far_weight, 6.0) + 1e-4 * far_weight.mean(), 1e-9)[..., None]
    near, near_weight = mean(2.0)
    share = np.clip(near_weight / 0.05, 0, 1)[..., None]
    out = share * near / np.maximum(near_weight, 1e-6)[..., None] + (1 - share) * cv2.resize(filled, (w, h))
    away = cv2.distanceTransform((weight > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    for sigma, start, width in ((6.0, 10, 60), (22.0, 60, 150)):
        wide, wide_weight = mean(sigma)
        share = np.clip((away - start) / width, 0, 1)[..., None]
        out = (1 - share) * out + share * wide / np.maximum(wide_weight, 1e-6)[..., None]
    log = np.log(np.maximum(out, 1e-4)).astype(np.float32)
    for _ in range(2):
        log = cv2.bilateralFilter(log, 9, 0.11, 4)
    return np.exp(log)


def _even_product(product: Float, coverage: Float) -> Float:
    there = (coverage > 1e-3)[..., None]
    own = product / np.maximum(coverage, 1e-3)[..., None]
    around = _blurred(product, 2.0) / np.maximum(_blurred(coverage, 2.0), 1e-4)[..., None]
    log = np.log(np.maximum(np.where(there, own, around), 2e-4)).astype(np.float32)
    return np.exp(cv2.bilateralFilter(log, 5, 0.16, 1.6)) * coverage[..., None] * there


def paper_grain(r: Generator, h: int, w: int) -> Float:
    """Of mean nothing and a standard deviation near to one, as fine and as coarse as papers and cloths are; (h, w)."""
    fine, coarse = (
        cv2.GaussianBlur(r.standard_normal((h, w)).astype(np.float32), (0, 0), float(sigma))
        for sigma in (r.uniform(0.6, 2), r.uniform(3, 8))
    )
    share = r.uniform(0.2, 0.8)
    return fine / fine.std() * share + coarse / coarse.std() * (1 - share)


def _cells(r: Generator, h: int, w: int) -> Float:
    """Patches a few px wide, each of a level of its own, as what takes noise away leaves of a grain; (h, w), of deviation near to one."""
    seeds = r.random((h, w)) > 1 / r.uniform(6, 25)
    seeds[0, 0] = False
    _, labels = cv2.distanceTransformWithLabels(seeds.view(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL)
    levels = r.standard_normal(int(labels.max()) + 1).astype(np.float32)
    return cv2.GaussianBlur(levels[labels], (0, 0), float(r.uniform(0.3, 1)))


def grained(paper: Float, r: Generator) -> Float:
    """Paper (h, w, 3), from a sheet that is nearly smooth to coarse cloth."""
    grain = (paper_grain if r.random() < 0.7 else _cells)(r, *paper.shape[:2])
    return paper * np.exp(np.exp(r.uniform(*np.log((0.004, 0.06)))) * grain)[..., None]


def contact_shadow(coverage: Float, towards: float, r: Generator) -> tuple[Float, Float]:
    """What is left of the light where the product stands, down to next to nothing: factors for the backdrop and for the product, (h, w).

    `towards` is where the shadow falls, an angle, radians; a quarter turn is down.
    """
    within = (coverage > 0.5).view(np.uint8)
    out_of, into = (np.minimum(cv2.distanceTransform(mask, cv2.DIST_L2, 5), _FAR) for mask in (1 - within, within))
    across, down = (cv2.GaussianBlur(cv2.Sobel(out_of - into, cv2.CV_32F, *axes, scale=1 / 8), (0, 0), 2.0) for axes in ((1, 0), (0, 1)))
    side = 1 / (1 + np.exp(-(np.cos(towards) * across + np.sin(towards) * down - r.uniform(0, 0.7)) * r.uniform(4, 12)))

    def left(distance: Float, deepest: float, reach: tuple[float, float]) -> Float:
        depth = r.uniform(0, deepest) if r.random() < 0.5 else deepest * r.uniform(0.7, 1)
        return (1 - depth * side * np.exp(-distance / np.exp(r.uniform(*np.log(reach))))).astype(np.float32)

    behind = left(out_of, 0.97, (1.5, 20)) * left(out_of, 0.7, (20, 100))
    return behind, left(into, 0.6, (1, 12)) if r.random() < 0.5 else np.ones_like(behind)


def cast_shadow(coverage: Float, r: Generator) -> Float:
    """What is left of the light where a small lamp throws the product's shadow: a factor for the backdrop, (h, w, 3).

    The outline again, aside of the product and leaning, longer or shorter, with a border of its own and of nearly one depth.
    """
    h, w = coverage.shape
    foot = float(np.flatnonzero(coverage.max(1) > 0.5).max(initial=0))
    lean, length = r.uniform(-0.5, 0.5) * (r.random() < 0.5), r.uniform(0.6, 1.1) if r.random() < 0.5 else 1.0
    towards, reach = r.uniform(0, 2 * np.pi), np.exp(r.uniform(*np.log((0.008, 0.12)))) * max(h, w)
    across, down = reach * np.cos(towards), reach * np.sin(towards)
    onto = np.array([[1, -lean, lean * foot + across], [0, length, foot * (1 - length) + down]], np.float32)
    thrown = _blurred(cv2.warpAffine(coverage, onto, (w, h)), np.exp(r.uniform(*np.log((0.4, 8)))))
    depth = r.uniform(0.08, 0.8) * (1 + r.normal(0, 0.03, 3) * (r.random() < 0.5))
    return (1 - np.minimum(depth, 0.9) * thrown[..., None]).astype(np.float32)


def mirroring(own: Float, coverage: Float, light: Float, r: Generator) -> Float:
    """The product's share of the light, premultiplied (h, w, 3), with a rim that mirrors the paper, as gloss does seen aslant."""
    into = np.minimum(cv2.distanceTransform((coverage > 0.5).view(np.uint8), cv2.DIST_L2, 5), _FAR)
    # Of a wire, all would be rim.
    reach = min(np.exp(r.uniform(*np.log((0.7, 5)))), max(float(into.max()) / 4, 0.1))
    share = r.uniform(0.1, 0.9) * np.exp(-into / reach)
    return own + (coverage[..., None] * light * r.uniform(0.3, 1.1) - own) * share[..., None].astype(np.float32)


def photo_of(
    layers: Layers,
    level: int,
    r: Generator,
    how: Carelessness | None = None,
    print_share: float = 0,
    flat: bool = False,
    shadow_share: float = 0,
) -> Taken:
    """A photo as a lens shows it; the empty backdrop comes near to the coded `level`. On so many of all, 0..1, the product bears print,
    or has holes cut in it if it is a `flat` one; on so many a small lamp throws its shadow.

    Of one that is taken or developed carelessly the truth is coverage alone: its colours are no longer the product's share of the light.
    """
    h, w = layers.coverage.shape
    down, across = np.mgrid[0:h, 0:w].astype(np.float32)
    backdrop, own, covered = _used(layers.backdrop, down, across, r), layers.product, layers.coverage
    if print_share > 0 and r.random() < print_share:
        kind = r.random()
        if flat and kind < _WITH_HOLES:
            own, covered, backdrop = cut_out(own, covered, backdrop, r)
        if not flat or kind > _ONLY_HOLES:
            own = printed(own, covered, layers.backdrop, r)
    if r.random() < 0.25:
        behind, before = contact_shadow(covered, r.normal(np.pi / 2, 0.6), r)
        backdrop, own = backdrop * behind[..., None], own * before[..., None]
    if shadow_share > 0 and r.random() < shadow_share:
        backdrop = backdrop * cast_shadow(covered, r)
    blur = float(r.choice([0.3, 0.4, 0.4, 0.5, 0.6, 0.8]))
    if how is Carelessness.OUT_OF_FOCUS:
        blur = r.uniform(0.9, 3.2)
    product = _blurred(own, blur)
    behind = _blurred((1 - covered)[..., None] * backdrop, blur)
    coverage = np.clip(_blurred(covered, blur), 0, 1)
    coverage[coverage > 1 - 2e-4] = 1
    coverage[coverage < 2e-4] = 0
    wanted = int(np.clip(level + r.normal(0, 6), 60, 247))
    paper = float(np.median((product + behind)[coverage == 0][:, 1]))
    exposure = float(decode(np.array(wanted / 255))) / paper
    if how is Carelessness.BURNT_OUT:
        exposure = _burning(product[coverage == 1].min(1), paper, r)
    elif how is Carelessness.BACKDROP_BURNT_OUT:
        behind = behind * np.float32(r.uniform(0.9, 2) / (paper * exposure))
    off = ((across - w / 2) ** 2 + (down - h / 2) ** 2) / ((w / 2) ** 2 + (h / 2) ** 2)
    vignette = 1 - float(r.choice([0.0, 0.08, 0.08, 0.15, 0.34])) * off**1.1 * 0.8
    casts = ((1, 1, 1), (1.16, 1, 0.7), (0.86, 0.98, 1.1), (1.08, 1, 0.9), (0.95, 1, 0.97))
    cast = np.array(casts[0 if r.random() < 0.55 else int(r.integers(1, 5))], np.float32)
    lens = exposure * vignette[..., None] * cast
    return Taken(_developed((product + behind) * lens, r, how), coverage, np.minimum(product * lens, 1))


def _burning(own: Float, paper: float, r: Generator) -> float:
    """An exposure that burns out the paper, or a share of the product; `own` is the darkest channel of each solid px."""
    if own.size < _SOLID or r.random() < 0.3:
        return r.uniform(0.9, 1.7) / paper
    share = np.exp(r.uniform(*np.log((0.004, 0.2))))
    return float(np.clip(1 / np.quantile(own, 1 - share), 0.85 / paper, 2.5 / paper))


def _used(backdrop: Float, down: Float, across: Float, r: Generator) -> Float:
    """Paper with grain, with the edge of a second sheet, with dust: each on some photos."""
    h, w = down.shape
    if r.random() < 0.4:
        backdrop = grained(backdrop, r)
    if r.random() < 0.15:
        below = down - r.uniform(0.1, 0.6) * h - r.uniform(-0.1, 0.1) * (across - w / 2)
        shade = r.uniform(0.02, 0.12) * np.exp(-np.maximum(below, 0) / r.uniform(2, 12)) * (below > 0)
        backdrop = backdrop * ((1 - shade) * (1 + r.uniform(-0.02, 0.02) * (below > 0)))[..., None]
    if r.random() < 0.2:
        dust = np.zeros((h, w), np.float32)
        for _ in range(int(r.integers(5, 50))):
            at = int(r.integers(w) * 8), int(r.integers(h) * 8)
            cv2.circle(dust, at, int(r.uniform(0.5, 2.2) * 8), float(r.uniform(0.2, 0.8)), -1, cv2.LINE_AA, 3)
        backdrop = backdrop * (1 - dust)[..., None]
    return backdrop


def _developed(light: Float, r: Generator, how: Carelessness | None) -> bytes:
    amount = float(r.choice([0.4, 0.5, 0.5, 0.7, 1, 1.5]))
    if how is Carelessness.NOISY:
        amount = r.uniform(1.5, 5)
    spread = np.sqrt(np.maximum(light, 0) * amount**2 / _FULL_WELL + (0.0012 * amount) ** 2)
    noise = r.standard_normal(light.shape, np.float32)
    if how is Carelessness.NOISY:
        # As what fills in a sensor's colours spreads it.
        noise = cv2.GaussianBlur(noise, (0, 0), 0.8)
    codes = encode(np.clip(light + noise * spread, 0, 1)).astype(np.float32)
    quality, subsampling = ((92, "420"), (90, "420"), (95, "420"), (97, "444"), (98, "444"), (96, "444"))[int(r.integers(6))]
    if how is Carelessness.CONTRASTY:
        codes = codes + np.float32(r.uniform(0.02, 0.15)) * np.sin(2 * np.pi * (codes - 0.5))
    elif how is Carelessness.SHARPENED:
        codes = codes + np.float32(r.uniform(0.4, 1.6)) * (codes - _blurred(codes, r.uniform(0.6, 2)))
    elif how is Carelessness.MADE_QUIET:
        codes = cv2.bilateralFilter(codes, 7, r.uniform(6, 16) / 255, r.uniform(1.5, 4))
    elif how is Carelessness.PACKED_HARD:
        quality, subsampling = int(r.integers(45, 85)), "420"
    return jpeg(np.clip(codes, 0, 1), quality, subsampling)


def packed(pixels: NDArray[np.uint8], r: Generator) -> NDArray[np.uint8]:
    """Coded (h, w, 3) as it comes out of a JPEG; most cameras halve the resolution of colour."""
    data = jpeg((pixels / np.float32(255)).astype(np.float32), int(r.integers(78, 97)), "420" if r.random() < 0.8 else "444")
    out: NDArray[np.uint8] = simplejpeg.decode_jpeg(data, "RGB")
    return out


def jpeg(codes: Float, quality: int, subsampling: str) -> bytes:
    return simplejpeg.encode_jpeg(np.ascontiguousarray((codes * 255 + 0.5).astype(np.uint8)), quality, "RGB", subsampling)
