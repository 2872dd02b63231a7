"""What happens to photos before they are brought in: exposed anew, made quiet, made smaller and larger, sharpened, packed hard."""

import cv2
import numpy as np
from numpy.random import Generator

from teaching.camera import jpeg
from yardchalk.core.codecs import decode_photo
from yardchalk.core.colour import Float

_QUALITIES = (42, 96)


def worked_on(data: bytes, r: Generator) -> bytes:
    """A photo as someone who took or supplied it may have left it: a file of the same size in pixels, JPEG."""
    codes: Float = decode_photo(data, "lesson").pixels.astype(np.float32) / np.float32(255)
    for chance, step in ((0.3, _noisy), (0.4, _toned), (0.3, _made_quiet), (0.35, _enlarged), (0.45, _sharpened)):
        if r.random() < chance:
            codes = np.clip(step(codes, r), 0, 1).astype(np.float32)
    return jpeg(codes, int(r.integers(*_QUALITIES)), "420" if r.random() < 0.75 else "444")


def _noisy(codes: Float, r: Generator) -> Float:
    """With the noise of a small sensor, which its own development has spread over neighbours, more of it in colour or in light."""
    noise = r.standard_normal(codes.shape, np.float32)
    noise += r.uniform(0, 2) * r.standard_normal((*codes.shape[:2], 1), np.float32)
    spread = float(r.choice([0, 0.6, 0.8, 1.2]))
    if spread:
        noise = cv2.GaussianBlur(noise, (0, 0), spread)
    strength = np.exp(r.uniform(*np.log((0.8, 6)))) / 255
    # Most in the middle of the codes, as a camera's curve leaves it.
    return codes + noise * np.float32(strength / noise.std()) * (0.5 + np.sqrt(np.clip(codes * (1 - codes), 0, 1)))


def _toned(codes: Float, r: Generator) -> Float:
    """Exposed anew, or under a curve: more or less contrast, lighter or darker middle tones."""
    kind = r.random()
    if kind < 0.35:
        return codes ** np.float32(np.exp(r.uniform(-0.4, 0.4)))
    if kind < 0.75:
        return codes + np.float32(r.uniform(-0.08, 0.13)) * np.sin(2 * np.pi * (codes - 0.5)).astype(np.float32)
    return codes * np.float32(r.uniform(0.55, 1.06))


def _made_quiet(codes: Float, r: Generator) -> Float:
    """Without its noise, and so in patches, as telephones do it."""
    if r.random() < 0.3:
        return cv2.medianBlur((codes * 255 + 0.5).astype(np.uint8), 3).astype(np.float32) / 255
    return cv2.bilateralFilter(codes, 7, r.uniform(5, 20) / 255, r.uniform(1.5, 4))


def _enlarged(codes: Float, r: Generator) -> Float:
    """From a smaller picture."""
    h, w = codes.shape[:2]
    share = r.uniform(0.45, 0.85)
    small = cv2.resize(codes, (round(w * share), round(h * share)), interpolation=cv2.INTER_AREA)
    return cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC if r.random() < 0.7 else cv2.INTER_LINEAR)


def _sharpened(codes: Float, r: Generator) -> Float:
    """By an unsharp mask."""
    return codes + np.float32(r.uniform(0.3, 1.8)) * (codes - cv2.GaussianBlur(codes, (0, 0), r.uniform(0.6, 2.2)))
