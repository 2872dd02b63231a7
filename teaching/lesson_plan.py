"""What all teaching shares: Adam with a warm-up and a cosine; what is kept is the running mean of the weights."""

import copy
import time
from collections.abc import Callable

import numpy as np
import torch

from teaching.network import Network

RATE = 2e-3  # of learning, at first
_REPORT = 120  # s


def taught(
    network: Network, loss_of_step: Callable[[Network], torch.Tensor], examine: Callable[[Network], str], minutes: float, rate: float
) -> Network:
    """A network after so many minutes; `loss_of_step` takes a batch of its own, `examine` says how well it does on what is held out."""
    network.to(memory_format=torch.channels_last)
    kept = copy.deepcopy(network)
    optimizer = torch.optim.AdamW(network.parameters(), lr=rate, weight_decay=1e-4)
    start = said = time.monotonic()
    step = 0
    while (gone := (time.monotonic() - start) / (60 * minutes)) < 1:
        for group in optimizer.param_groups:
            group["lr"] = rate * min(1, step / 60) * (0.5 + 0.5 * np.cos(np.pi * gone)) + 1e-5
        loss = loss_of_step(network)
        optimizer.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimizer.step()
        share = min(0.995, (1 + step) / (10 + step))
        with torch.no_grad():
            for mean, now in zip(kept.parameters(), network.parameters(), strict=True):
                mean.mul_(share).add_(now, alpha=1 - share)
        step += 1
        if time.monotonic() - said > _REPORT:
            said = time.monotonic()
            print(f"{100 * gone:.0f} %, step {step}: loss {float(loss.detach()):.3f}; held out: {examine(kept)}", flush=True)
    print(f"{step} steps; held out: {examine(kept)}", flush=True)
    return kept.eval()
