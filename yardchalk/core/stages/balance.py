"""Balance: which light counts as white.

The light of a lamp or a window tints everything alike, by one factor per channel of linear light; dividing by it makes
what is neutral grey. The factors are *gains* on red and blue with green left alone. They have two degrees of freedom, as
have the figures that photographers use for light: its temperature, along the line of glowing bodies, and its tint,
across that line.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, delta_e, encode, linear_table, to_lab, top
from yardchalk.core.errors import UnusableSample

# Linear sRGB to XYZ (IEC 61966-2-1).
_TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]])
_LUMINANCE = _TO_XYZ[1]
COOLEST, WARMEST = 25000.0, 1800.0  # kelvin, of the light
_CLIPPED = 0.02  # share of a sample
_UNEVEN = 6.0  # ΔE00
_LAMPS = (2500.0, 12000.0)  # kelvin: from a dim bulb to open shade
_OFF_LINE = 15.0  # of tint: fluorescent tubes


@dataclass(frozen=True)
class Sample:
    """What a place that should be neutral looks like.

    Attributes
    ----------
    light : mean linear light of R, G, B, 0..1.
    count : how many pixels.
    spread : standard deviation from the mean, ΔE00.
    cast : how far its mean is from grey of the same lightness, ΔE00.
    """

    light: tuple[float, float, float]
    count: int
    spread: float
    cast: float


@dataclass(frozen=True)
class Gains:
    """Factors on linear light."""

    red: float = 1.0
    green: float = 1.0
    blue: float = 1.0

    @property
    def array(self) -> Float:
        return np.array([self.red, self.green, self.blue], np.float32)

    @property
    def none(self) -> bool:
        return self.red == self.green == self.blue == 1.0


def take_sample(pixels: Coded) -> Sample:
    """Measure a place that should be neutral: coded pixels (h, w, 3), uint8 or uint16, averaged in linear light.

    Raises
    ------
    UnusableSample
        It is clipped, too dark or too uneven to say anything of the light.
    """
    flat = pixels.reshape(-1, 3)
    if not len(flat):
        raise UnusableSample("holds no pixel", remedy="Drag over a part of the photo")
    full = top(pixels.dtype)
    clipped = float((flat >= full).any(1).mean())
    if clipped > _CLIPPED:
        raise UnusableSample(
            f"is clipped: {100 * clipped:.0f} % of it has a channel at full level, which hides the light's colour",
            remedy="Take a place that is a little darker",
        )
    light = linear_table(full + 1)[flat].mean(0, dtype=np.float64)
    if float(light.max()) < 0.01:
        raise UnusableSample("is too dark to tell its colour", remedy="Take a lighter place")
    mean = np.round(encode(light)[None] * 65535).astype(np.uint16)
    spread = float(np.sqrt(np.mean(np.square(delta_e(to_lab(flat[:: max(1, len(flat) // 20000)]), to_lab(mean))))))
    if spread > _UNEVEN:
        raise UnusableSample(
            f"is too uneven: its pixels differ by {spread:.1f} ΔE00 from their mean, more than {_UNEVEN:g}",
            remedy="Take a smaller or plainer place",
        )
    red, green, blue = (float(v) for v in light)
    return Sample((red, green, blue), len(flat), spread, cast_of((red, green, blue)))


def cast_of(light: tuple[float, float, float], gains: Gains = Gains()) -> float:
    """Distance of a light (linear R, G, B), after the gains, from grey of the same CIE lightness: ΔE00."""
    lit = np.clip(np.array(light) * gains.array, 0, 1)
    lab = to_lab(np.round(encode(lit)[None] * 65535).astype(np.uint16))
    grey = lab * np.array([1, 0, 0], np.float32)
    return float(delta_e(lab, grey)[0])


def lit_by_a_lamp(light: tuple[float, float, float]) -> bool:
    """Whether a grey thing could look like that (linear R, G, B) by the light alone: daylight and lamps lie near the line of
    glowing bodies. A stronger colour is the thing's own.
    """
    temperature, tint = to_temperature(*gains_for(light))
    return _LAMPS[0] <= temperature <= _LAMPS[1] and abs(tint) <= _OFF_LINE


def gains_for(light: tuple[float, float, float]) -> tuple[float, float]:
    """Gains on red and blue, green left alone, that make a light (linear R, G, B) neutral."""
    red, green, blue = (max(value, 1e-4) for value in light)
    return green / red, green / blue


def keeping_lightness(red: float, blue: float) -> Gains:
    """All three gains, such that what becomes neutral keeps its luminance."""
    kept = float(_LUMINANCE @ np.array([1 / red, 1.0, 1 / blue]))
    return Gains(red * kept, kept, blue * kept)


def to_temperature(red: float, blue: float) -> tuple[float, float]:
    """Temperature (kelvin) and tint of the light that these gains make white.

    Tint is the distance across the line of glowing bodies in CIE 1960 u, v, in thousandths, counted from where the
    white of sRGB lies; positive is greener. The line is Krystek's approximation (Color Research & Application 10, 1985).
    """
    xyz = _TO_XYZ @ np.array([1 / red, 1.0, 1 / blue])
    u, v = _uv(xyz)
    mired = np.linspace(1e6 / COOLEST, 1e6 / WARMEST, 4001)
    on_u, on_v = _line(1e6 / mired)
    nearest = int(np.argmin((on_u - u) ** 2 + (on_v - v) ** 2))
    across_u, across_v = _across(1e6 / mired[nearest])
    tint = ((u - on_u[nearest]) * across_u + (v - on_v[nearest]) * across_v) * 1000
    return float(1e6 / mired[nearest]), float(tint - _tint_of_white())


def from_temperature(temperature: float, tint: float) -> tuple[float, float]:
    """Gains on red and blue that make white the light of a temperature (kelvin) and tint, see `to_temperature`."""
    u, v = (float(value) for value in _line(np.array(temperature)))
    across_u, across_v = _across(temperature)
    off = (tint + _tint_of_white()) / 1000
    u, v = u + off * across_u, v + off * across_v
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    light = np.linalg.solve(_TO_XYZ, np.array([x / y, 1.0, (1 - x - y) / y]))
    red, green, blue = (max(float(value), 1e-3) for value in light)
    return green / red, green / blue


def _uv(xyz: NDArray[np.float64]) -> tuple[float, float]:
    whole = float(xyz[0] + 15 * xyz[1] + 3 * xyz[2])
    return 4 * float(xyz[0]) / whole, 6 * float(xyz[1]) / whole


def _line(kelvin: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    u = (0.860117757 + 1.54118254e-4 * kelvin + 1.28641212e-7 * kelvin**2) / (1 + 8.42420235e-4 * kelvin + 7.08145163e-7 * kelvin**2)
    v = (0.317398726 + 4.22806245e-5 * kelvin + 4.20481691e-8 * kelvin**2) / (1 - 2.89741816e-5 * kelvin + 1.61456053e-7 * kelvin**2)
    return u, v


def _across(kelvin: float) -> tuple[float, float]:
    """Unit vector across the line, towards green."""
    (u0, u1), (v0, v1) = _line(np.array([kelvin * 0.999, kelvin * 1.001]))
    du, dv = float(u1 - u0), float(v1 - v0)
    length = float(np.hypot(du, dv))
    # Rising temperature goes down in u and v; a quarter turn from there points to larger v.
    return (dv / length, -du / length) if -du > 0 else (-dv / length, du / length)


def _tint_of_white() -> float:
    u, v = _uv(_TO_XYZ @ np.ones(3))
    kelvin = 1e6 / np.linspace(140, 170, 3001)
    on_u, on_v = _line(kelvin)
    nearest = int(np.argmin((on_u - u) ** 2 + (on_v - v) ** 2))
    across_u, across_v = _across(float(kelvin[nearest]))
    return float(((u - on_u[nearest]) * across_u + (v - on_v[nearest]) * across_v) * 1000)
