"""The network: a U-Net (Ronneberger, Fischer and Brox, MICCAI 2015) on blocks of 2 by 2 px, small enough for one core."""

from itertools import pairwise

import torch
from torch import Tensor, nn
from torch.nn import functional

from yardchalk.core.second_look import CHANNELS

WIDTHS = (16, 32, 48, 64, 64)  # channels at 1/2, 1/4 ... 1/32 of the picture's size


def _two(into: int, out: int) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(into, out, 3, padding=1), nn.ReLU(inplace=True), nn.Conv2d(out, out, 3, padding=1), nn.ReLU(inplace=True)
    )


class Network(nn.Module):
    """From what is shown (n, CHANNELS, h, w), h and w multiples of 32, to logits of coverage (n, 1, h, w)."""

    def __init__(self) -> None:
        super().__init__()
        self.first = nn.Conv2d(CHANNELS, WIDTHS[0], 4, stride=2, padding=1)
        self.down = nn.ModuleList(_two(WIDTHS[max(i - 1, 0)], width) for i, width in enumerate(WIDTHS))
        self.up = nn.ModuleList(_two(width + deeper, width) for width, deeper in pairwise(WIDTHS))
        self.last = nn.Conv2d(WIDTHS[0], 4, 3, padding=1)

    def forward(self, shown: Tensor) -> Tensor:
        x = functional.relu(self.first(shown))
        levels = []
        for i, block in enumerate(self.down):
            x = block(functional.max_pool2d(x, 2) if i else x)
            levels.append(x)
        for i in reversed(range(len(self.up))):
            x = self.up[i](torch.cat([functional.interpolate(x, scale_factor=2.0, mode="nearest"), levels[i]], 1))
        return functional.pixel_shuffle(self.last(x), 2)
