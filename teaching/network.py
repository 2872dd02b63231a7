"""The networks: U-Nets (Ronneberger, Fischer and Brox, MICCAI 2015) on blocks of 2 by 2 px, small enough for one core."""

from itertools import pairwise

import torch
from torch import Tensor, nn
from torch.nn import functional

from yardchalk.core import close_look, second_look


def _two(into: int, out: int) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(into, out, 3, padding=1), nn.ReLU(inplace=True), nn.Conv2d(out, out, 3, padding=1), nn.ReLU(inplace=True)
    )


class Network(nn.Module):
    """From what is shown (n, into, h, w) to what is told of each pixel (n, out, h, w).

    `widths` are the channels at 1/2, 1/4, 1/8 ... of the picture's size, which is a multiple of the last.
    """

    def __init__(self, into: int, out: int, widths: tuple[int, ...]) -> None:
        super().__init__()
        self.first = nn.Conv2d(into, widths[0], 4, stride=2, padding=1)
        self.down = nn.ModuleList(_two(widths[max(i - 1, 0)], width) for i, width in enumerate(widths))
        self.up = nn.ModuleList(_two(width + deeper, width) for width, deeper in pairwise(widths))
        self.last = nn.Conv2d(widths[0], 4 * out, 3, padding=1)

    def forward(self, shown: Tensor) -> Tensor:
        x = functional.relu(self.first(shown))
        levels = []
        for i, block in enumerate(self.down):
            x = block(functional.max_pool2d(x, 2) if i else x)
            levels.append(x)
        for i in reversed(range(len(self.up))):
            x = self.up[i](torch.cat([functional.interpolate(x, scale_factor=2.0, mode="nearest"), levels[i]], 1))
        return functional.pixel_shuffle(self.last(x), 2)


def second_look_network() -> Network:
    """Tells the logit of coverage."""
    return Network(second_look.CHANNELS, 1, (16, 32, 48, 64, 64))


def close_look_network() -> Network:
    """Tells the logit of coverage."""
    return Network(close_look.CHANNELS, 1, (24, 32, 48))
