"""Teaching the network of the close look."""

from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from teaching.borders import borders, shown_of
from teaching.lesson_plan import taught
from teaching.network import Network
from yardchalk.core.close_look import LAP

_BATCH = 24  # pieces at a time
_HELD = 400  # pieces that it is examined by


def _told(network: Network, shown: Tensor) -> Tensor:
    """Logits of coverage, (n, 1, h, w)."""
    return network(shown.to(memory_format=torch.channels_last))


def _loss(network: Network, shown: Tensor, true: Tensor) -> Tensor:
    """Absolute error and cross entropy; what is partly covered counts threefold, a tile's rim, which the next tile sees better, less."""
    logits, first = _told(network, shown), shown[:, 6:7] + 0.5
    soft = ((true > 0.01) & (true < 0.99)).float()
    near = functional.max_pool2d(torch.maximum(soft, ((first > 0.04) & (first < 0.96)).float()), 9, 1, 4)
    entropy = functional.binary_cross_entropy_with_logits(logits, true, reduction="none")
    least = functional.binary_cross_entropy(true, true, reduction="none").clamp(0, 0.7)
    inner = torch.full_like(near, 0.3)
    inner[..., LAP:-LAP, LAP:-LAP] = 1
    off = (torch.sigmoid(logits) - true).abs() + 0.3 * (entropy - least)
    return (off * (0.15 + near + 2 * soft) * inner).mean()


def teach_close_look(network: Network, folder: Path, minutes: float, rate: float) -> Network:
    r = np.random.default_rng(2)
    torch.manual_seed(2)
    known, held_out = borders(folder, held_out=False), borders(folder, held_out=True)
    print(f"{len(known)} pieces of borders, {len(held_out)} held out", flush=True)

    def batch(pieces: list, r: np.random.Generator, count: int) -> tuple[Tensor, ...]:
        made = [shown_of(pieces[r.integers(len(pieces))], r) for _ in range(count)]
        return tuple(torch.from_numpy(np.stack(values)) for values in zip(*made, strict=True))

    examined = batch(held_out, np.random.default_rng(3), _HELD)

    def examine(network: Network) -> str:
        shown, true = examined
        with torch.no_grad():
            off = (torch.sigmoid(_told(network, shown)) - true).abs()
        soft = (true > 0.02) & (true < 0.98)
        soft[..., :LAP, :] = soft[..., -LAP:, :] = soft[..., :LAP] = soft[..., -LAP:] = False
        before = (shown[:, 6:7] + 0.5 - true).abs()
        return f"partial coverage off by {float(off[soft].mean()):.4f}, before the look {float(before[soft].mean()):.4f}"

    return taught(network, lambda network: _loss(network, *batch(known, r, _BATCH)), examine, minutes, rate)
