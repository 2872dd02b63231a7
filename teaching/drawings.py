"""Pictures that were drawn, not photographed: prints on paper, whose density is their coverage, and flat icons on pure white."""

import cv2
import numpy as np
from numpy.random import Generator

from teaching.camera import Taken, jpeg, paper_grain
from teaching.geometry import noise, smooth
from yardchalk.core.colour import Float, decode, encode

_FINE = 3  # bits of a px that shapes are placed by


def _fine(points: object) -> np.ndarray:
    return np.round(np.asarray(points) * 2**_FINE).astype(np.int32)


def _shapes(r: Generator, size: int) -> Float:
    """Blots, polygons, strokes and hatching, 0..1, float32 (size, size)."""
    out = np.zeros((size, size), np.float32)
    for _ in range(int(r.integers(1, 9))):
        middle, reach = r.uniform(0.25, 0.75, 2) * size, r.uniform(0.05, 0.25) * size
        match int(r.integers(4)):
            case 0:
                turn = np.linspace(0, 2 * np.pi, 200)
                wave = 1 + 0.3 * r.random() * np.cos(int(r.integers(2, 9)) * turn + r.uniform(0, 6))
                loop = middle + reach * np.c_[wave * np.cos(turn), wave * np.sin(turn) * r.uniform(0.3, 1)]
                cv2.fillPoly(out, [_fine(loop)], 1.0 if r.random() < 0.8 else 0.0, cv2.LINE_AA, _FINE)
            case 1:
                cv2.fillPoly(out, [_fine(middle + r.normal(0, reach, (int(r.integers(3, 7)), 2)))], 1.0, cv2.LINE_AA, _FINE)
            case 2:
                line = smooth([tuple(middle + r.normal(0, reach, 2)) for _ in range(4)], 100)
                cv2.polylines(out, [_fine(line)], False, 1.0, int(r.integers(2, 16)), cv2.LINE_AA, _FINE)
            case _:
                angle = r.uniform(0, np.pi)
                along, aside = np.array([np.cos(angle), np.sin(angle)]) * reach, np.array([-np.sin(angle), np.cos(angle)])
                for i in range(int(r.integers(3, 14))):
                    at = middle + aside * i * r.uniform(8, 20)
                    start, end = (tuple(int(v) for v in _fine(at + side * along)) for side in (-1, 1))
                    cv2.line(out, start, end, 0.0 if r.random() < 0.4 else 1.0, int(r.integers(1, 5)), cv2.LINE_AA, _FINE)
    return out


def a_print(r: Generator, size: int) -> Taken:
    """Ink on paper with pencil lines, as a scanner has it; coverage is the ink's density."""
    grain = np.clip(0.85 + 0.25 * r.uniform(0.3, 1.5) * noise(size, size, r.uniform(0.5, 1.6), int(r.integers(9999))), 0, 1)
    coverage = cv2.GaussianBlur(_shapes(r, size) * grain, (0, 0), r.uniform(0.3, 0.8))
    paper = np.full((size, size, 3), decode(np.array(r.uniform(200, 245) / 255)), np.float32)
    paper *= np.array([1, r.uniform(0.95, 1), r.uniform(0.85, 1)], np.float32)
    paper *= (1 + r.uniform(0.005, 0.03) * paper_grain(r, size, size))[..., None]
    paper *= (1 + r.uniform(-0.15, 0.15) * np.linspace(0, 1, size))[None, :, None]
    for _ in range(int(r.integers(0, 5))):
        pencil = np.zeros((size, size), np.float32)
        start, end = (tuple(int(v) for v in r.uniform(0, size, 2)) for _ in range(2))
        cv2.line(pencil, start, end, 1.0, int(r.integers(1, 3)), cv2.LINE_AA)
        paper *= (1 - r.uniform(0.05, 0.3) * pencil * np.clip(0.6 + 0.5 * paper_grain(r, size, size), 0, 1))[..., None]
    ink = r.uniform(0.01, 0.12, 3)
    if r.random() < 0.5:
        ink[r.integers(3)] += r.uniform(0, 0.4)
    light = coverage[..., None] * ink + (1 - coverage[..., None]) * paper
    light += r.standard_normal(light.shape) * np.sqrt(np.maximum(light, 0) / 9000)
    data = jpeg(encode(np.clip(light, 0, 1)), int(r.integers(85, 97)), "420")
    return Taken(data, coverage, (coverage[..., None] * ink).astype(np.float32))


def an_icon(r: Generator, size: int) -> Taken:
    """Flat colours on pure white with the dirty ring of JPEG; mixed in codes, as programs that draw do."""
    coverage = cv2.GaussianBlur(_shapes(r, size), (0, 0), 0.4)
    colour = np.broadcast_to(r.uniform(0, 0.9, 3).astype(np.float32), (size, size, 3))
    for _ in range(int(r.integers(0, 4))):
        layer = _shapes(r, size)[..., None]
        other = r.uniform(0, 1, 3).astype(np.float32) if r.random() < 0.8 else np.ones(3, np.float32)
        colour = colour * (1 - layer) + other * layer
    mixed = coverage[..., None] * colour + 1 - coverage[..., None]
    data = jpeg(mixed, int(r.integers(55, 95)), "420" if r.random() < 0.6 else "444")
    return Taken(data, coverage, decode(coverage[..., None] * colour).astype(np.float32))


def drawn(r: Generator, size: int) -> Taken:
    """One or the other."""
    while True:
        made = (a_print, an_icon)[int(r.integers(2))](r, size)
        if made.coverage.mean() > 0.01:
            return made
