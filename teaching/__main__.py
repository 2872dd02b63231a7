"""./yard teach: render the scenes, take the photos, teach the network, and write it where the engine reads it."""

import argparse
import time
from pathlib import Path

import cv2
import numpy as np
import torch
from torch.nn import functional

from teaching.network import Network
from teaching.scenes import Lesson, cutting, lessons, prepare, prepare_drawing
from yardchalk.core.second_look import BLOCK, CHANNELS, SIDE

ROOT = Path(__file__).resolve().parents[1]
_SIDE, _BATCH = 352, 6  # px of a cutting; cuttings at a time
_RATE = 2e-3


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
    network.eval()
    for lesson in held_out:
        h, w = lesson.truth.shape
        shown = np.zeros((1, CHANNELS, -(-h // BLOCK) * BLOCK, -(-w // BLOCK) * BLOCK), np.float32)
        shown[0, :, :h, :w], true = cutting(lesson, np.s_[:h, :w], (w, h))
        with torch.no_grad():
            found = torch.sigmoid(network(torch.from_numpy(shown)))[0, 0, :h, :w].numpy()
        errors.append(1e3 * float(((found - true) ** 2).mean()))
        overlaps.append(float(((found > 0.5) & (true > 0.5)).sum() / max(((found > 0.5) | (true > 0.5)).sum(), 1)))
    return f"held out: mse x 1000 median {np.median(errors):.2f}, mean {np.mean(errors):.2f}; iou mean {np.mean(overlaps):.4f}"


def teach(folder: Path, minutes: float) -> Network:
    """Adam with a warm-up and a cosine; what is kept is the running mean of the weights."""
    r = np.random.default_rng(1)
    torch.manual_seed(1)
    known, held_out = lessons(folder, held_out=False), lessons(folder, held_out=True)
    network, kept = Network(), Network()
    network.to(memory_format=torch.channels_last)
    kept.load_state_dict(network.state_dict())
    optimizer = torch.optim.AdamW(network.parameters(), lr=_RATE, weight_decay=1e-4)
    start = said = time.monotonic()
    step = 0
    while (gone := (time.monotonic() - start) / (60 * minutes)) < 1:
        for group in optimizer.param_groups:
            group["lr"] = _RATE * min(1, step / 60) * (0.5 + 0.5 * np.cos(np.pi * gone)) + 1e-5
        cut = [_cutting(known[r.integers(len(known))], r) for _ in range(_BATCH)]
        shown, truth, there = (torch.from_numpy(np.stack(values)) for values in zip(*cut, strict=True))
        loss = _loss(network(shown.to(memory_format=torch.channels_last))[:, 0], truth, there)
        optimizer.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimizer.step()
        share = min(0.99, (1 + step) / (10 + step))
        with torch.no_grad():
            for mean, now in zip(kept.parameters(), network.parameters(), strict=True):
                mean.mul_(share).add_(now, alpha=1 - share)
        step += 1
        if time.monotonic() - said > 120:
            said = time.monotonic()
            print(f"{100 * gone:.0f} %, step {step}: loss {float(loss):.3f}; {_examine(kept, held_out)}", flush=True)
    print(f"{step} steps on {len(known)} photos; {_examine(kept, held_out)}")
    return kept


def main() -> None:
    parser = argparse.ArgumentParser(prog="./yard teach", description=__doc__)
    parser.add_argument("--scenes", type=int, default=240)
    parser.add_argument("--drawings", type=int, default=60)
    parser.add_argument("--minutes", type=float, default=60, help="of teaching, after the pictures are made")
    parser.add_argument("--folder", type=Path, default=ROOT / ".yard" / "teaching", help="for the pictures; what is there is used again")
    parser.add_argument("--out", type=Path, default=ROOT / "yardchalk" / "core" / "shipped" / "second_look.onnx")
    asked = parser.parse_args()
    asked.folder.mkdir(parents=True, exist_ok=True)
    for number in range(asked.scenes):
        prepare(asked.folder, number)
    for number in range(asked.drawings):
        prepare_drawing(asked.folder, number)
    network = teach(asked.folder, asked.minutes).eval()
    torch.onnx.export(
        network,
        (torch.zeros(1, CHANNELS, SIDE, SIDE),),
        str(asked.out),
        input_names=["shown"],
        output_names=["coverage"],
        opset_version=12,
        dynamo=False,
    )
    print(f"Written: {asked.out}")


if __name__ == "__main__":
    main()
