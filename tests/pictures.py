"""Pictures made for tests, with exact truth: a product over a backdrop, mixed in linear light."""

from dataclasses import dataclass, replace

import cv2
import numpy as np

from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import Coded, Float, decode, to_coded


@dataclass(frozen=True)
class Made:
    """pixels: coded uint8 (h, w, 3); alpha: float32 (h, w), true coverage; product, backdrop: linear light (h, w, 3)."""

    pixels: Coded
    alpha: Float
    product: Float
    backdrop: Float

    @property
    def jpeg(self) -> bytes:
        return encode_picture(self.pixels, "jpeg", quality=95)

    @property
    def png(self) -> bytes:
        return encode_picture(self.pixels, "png")


@dataclass(frozen=True)
class Scene:
    """What to make. Levels are coded, 0..255."""

    width: int = 640
    height: int = 480
    level: int = 236
    gradient: float = 0.25
    colour: tuple[int, int, int] = (150, 60, 40)
    lamp: tuple[float, float, float] = (1.0, 1.0, 1.0)  # its colour: factors on linear light
    shadow: float = 0.35
    noise: float = 0.008
    handle: bool = True
    room: float = 1.0  # times as high as this scene is the frame round it
    shift: float = 0.0
    seed: int = 1

    def but(self, **changes: object) -> "Scene":
        return replace(self, **changes)  # type: ignore[arg-type]

    def made(self) -> Made:
        """A pot with a handle (so that there is a gap), on a backdrop that falls off to one side, with a soft shadow."""
        h, w, k = self.height, self.width, 4
        rng = np.random.default_rng(self.seed)
        big = np.zeros((h * k, w * k), np.uint8)
        middle = (round((0.5 + self.shift) * w * k), round(0.52 * h * k))
        size, near = h * k / self.room, h / self.room
        if self.handle:
            centre = (middle[0] - round(0.26 * size), middle[1])
            cv2.ellipse(big, centre, (round(0.13 * size), round(0.16 * size)), 0, 0, 360, 255, round(0.045 * size), cv2.LINE_8)
        cv2.ellipse(big, middle, (round(0.24 * size), round(0.3 * size)), 0, 0, 360, 255, -1, cv2.LINE_8)
        alpha = cv2.resize(big, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        alpha = cv2.GaussianBlur(alpha, (0, 0), 0.7)
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        fall = 1 - self.gradient * ((x / w) * 0.7 + (y / h) * 0.3)
        soft = cv2.GaussianBlur(np.roll(alpha, (round(0.05 * near), round(0.04 * w / self.room)), (0, 1)), (0, 0), 0.035 * near)
        light = (decode(np.array(self.level / 255)) * fall * (1 - self.shadow * soft))[..., None]
        backdrop = np.repeat(light, 3, 2).astype(np.float32)
        shade = 0.7 + 0.6 * np.clip((x / w - 0.3) * 1.5, 0, 1)
        product = (decode(np.array(self.colour) / 255) * shade[..., None]).clip(0, 1).astype(np.float32)
        linear = alpha[..., None] * product + (1 - alpha[..., None]) * backdrop
        linear *= np.array(self.lamp, np.float32)
        linear *= 1 + rng.normal(0, self.noise, (h, w, 1)).astype(np.float32)
        return Made(to_coded(linear, np.uint8), alpha, product, backdrop)


def iou(found: Float, truth: Float) -> float:
    """Intersection over union of coverage above a half."""
    a, b = found > 0.5, truth > 0.5
    return float((a & b).sum() / max((a | b).sum(), 1))


def half_in_focus(pixels: Coded, blur: float) -> Coded:
    """With its lower half blurred by so many px: as what lies nearer than what the lens was set to."""
    out = cv2.GaussianBlur(pixels, (0, 0), blur)
    middle = len(pixels) // 2
    out[:middle] = pixels[:middle]
    return out
