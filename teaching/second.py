"""Teaching the network of the second look."""

from pathlib import Path

import cv2
import numpy as np
import torch
from torch.nn import functional

from teaching.lesson_plan import taught
from teaching.network import Network
from teaching.scenes import Lesson, cutting, lessons
from yardchalk.core.second_look import BLOCK, CHANNELS

_SIDE, _BATCH = 352, 6  # px of a cutting; cuttings at a time


def _cutting(lesson: Lesson, r: np.random.Generator) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What is shown of a piece of a lesson (6, side, side), its truth, and where it is: mostly round an edge, at various sizes."""
    h, w = lesson.truth.shape
    scale = float(np.exp(r.uniform(np.log(0.42), np.log(1.2)))) if r.random() < 0.7 else _SIDE / min(h, w)
    reach = int(_SIDE / scale)
    small = cv2.resize(lesson.truth, (w // 8, h // 8), interpolation=cv2.INTER_AREA)
    wanted = (small > 10) & (small < 245) if r.random() < 0.75 else np.ones(small.shape, bool)
    places = np.argwhere(wanted if wanted.any() else ~wanted)
    middle = places[r.integers(len(places))] * 8 + r.integers(-(reach // 3), reach // 3 + 1, 2)
    top, left = (int(np.clip(m - reach // 2, 0, max(0, size - reach))) for m, size in zip(middle, (h, w), strict=True))
    at = np.s_[top : min(h, top + reach), left : min(w, left + reach)]
    ph, pw = lesson.truth[at].shape
    size = min(_SIDE, round(pw * scale)), min(_SIDE, round(ph * scale))
    shown, truth = cutting(lesson, at, size)
    if r.random() < 0.5:
        shown, truth = shown[:, :, ::-1], truth[:, ::-1]
    out = [np.zeros((CHANNELS, _SIDE, _SIDE), np.float32), np.zeros((_SIDE, _SIDE), np.float32), np.zeros((_SIDE, _SIDE), np.float32)]
    for into, values in zip(out, (shown, truth, np.float32(1)), strict=True):
        into[..., : size[1], : size[0]] = values
    return out[0], out[1], out[2]


def _loss(logits: torch.Tensor, truth: torch.Tensor, there: torch.Tensor) -> torch.Tensor:
    """Cross entropy and absolute error; edges and what is round them count threefold."""
    soft = ((truth > 0.01) & (truth < 0.99)).float()
    near = functional.max_pool2d(soft[:, None], 9, 1, 4)[:, 0]
    entropy = functional.binary_cross_entropy_with_logits(logits, truth, reduction="none")
    least = functional.binary_cross_entropy(truth, truth, reduction="none").clamp(0, 0.7)
    weight = there * (1 + 2 * near + 2 * soft)
    return ((entropy - least + (torch.sigmoid(logits) - truth).abs()) * weight).sum() / there.sum()


def _examine(network: Network, held_out: list[Lesson]) -> str:
    """How well it does on what it was not taught."""
    errors, overlaps = [], []
    for lesson in held_out:
        h, w = lesson.truth.shape
        shown = np.zeros((1, CHANNELS, -(-h // BLOCK) * BLOCK, -(-w // BLOCK) * BLOCK), np.float32)
        shown[0, :, :h, :w], true = cutting(lesson, np.s_[:h, :w], (w, h))
        with torch.no_grad():
            found = torch.sigmoid(network(torch.from_numpy(shown)))[0, 0, :h, :w].numpy()
        errors.append(1e3 * float(((found - true) ** 2).mean()))
        overlaps.append(float(((found > 0.5) & (true > 0.5)).sum() / max(((found > 0.5) | (true > 0.5)).sum(), 1)))
    return f"mse x 1000 median {np.median(errors):.2f}, mean {np.mean(errors):.2f}; iou mean {np.mean(overlaps):.4f}"


def teach_second_look(
    network: Network, folder: Path, minutes: float, rate: float, only: str | None = None, but: str | None = None
) -> Network:
    """On what `paths_of` names."""
    r = np.random.default_rng(1)
    torch.manual_seed(1)
    known, held_out = (lessons(folder, held, only, but) for held in (False, True))

    def loss_of_step(network: Network) -> torch.Tensor:
        cut = [_cutting(known[r.integers(len(known))], r) for _ in range(_BATCH)]
        shown, truth, there = (torch.from_numpy(np.stack(values)) for values in zip(*cut, strict=True))
        return _loss(network(shown.to(memory_format=torch.channels_last))[:, 0], truth, there)

    return taught(network, loss_of_step, lambda network: _examine(network, held_out), minutes, rate)
