"""./yard teach: render the scenes, take the photos, teach the networks, and write them where the engine reads them.

The close look is taught on what the second look finds, so the second is taught first; that of burnt-out photos goes on from it.
"""

import argparse
from collections.abc import Callable
from functools import partial
from pathlib import Path

import onnx
import torch
from onnx import numpy_helper

from teaching.close import teach_close_look
from teaching.lesson_plan import RATE
from teaching.network import Network, close_look_network, second_look_network
from teaching.scenes import BURNT, SHADOWED, prepare, prepare_burnt, prepare_drawing, prepare_pierced, prepare_shadowed
from teaching.second import teach_second_look
from yardchalk.core import close_look, second_look

SHIPPED = Path(__file__).resolve().parents[1] / "yardchalk" / "core" / "shipped"
LOOKS: dict[str, tuple[Callable[[], Network], Callable[[Network, Path, float, float], Network], int]] = {
    "second_look": (second_look_network, teach_second_look, second_look.CHANNELS),
    "burnt_out_look": (second_look_network, partial(teach_second_look, only=BURNT), second_look.CHANNELS),
    "soft_look": (second_look_network, partial(teach_second_look, but=SHADOWED), second_look.CHANNELS),
    "close_look": (close_look_network, teach_close_look, close_look.CHANNELS),
}
_FROM_SECOND = "burnt_out_look"  # goes on from the second look's weights
_SHAPE = {0: "pictures", 2: "height", 3: "width"}  # is free


def _shipped(name: str) -> dict[str, torch.Tensor]:
    """The weights that ship, by name."""
    parts = onnx.load(SHIPPED / f"{name}.onnx").graph.initializer
    return {part.name: torch.from_numpy(numpy_helper.to_array(part).copy()) for part in parts}


def _mixed(old: dict[str, torch.Tensor], new: dict[str, torch.Tensor], share: float) -> dict[str, torch.Tensor]:
    """Weights between two teachings that began at the same: they know what both know (Wortsman et al., ICML 2022)."""
    return {name: torch.lerp(old[name], weights, share) for name, weights in new.items()}


def _write(network: Network, channels: int, out: Path) -> None:
    names = {"input_names": ["shown"], "output_names": ["told"], "dynamic_axes": {"shown": _SHAPE, "told": _SHAPE}}
    torch.onnx.export(network, (torch.zeros(1, channels, 64, 64),), str(out), **names, opset_version=12, dynamo=False)
    print(f"Written: {out}")


def main() -> None:
    parser = argparse.ArgumentParser(prog="./yard teach", description=__doc__)
    parser.add_argument("--scenes", type=int, default=240)
    parser.add_argument("--first", type=int, default=0, help="number of the first scene, to go on with others than were taught before")
    parser.add_argument("--drawings", type=int, default=60)
    parser.add_argument(
        "--printed", type=float, default=0, metavar="SHARE", help="of the photos, 0..1, whose product bears print or has holes cut in it"
    )
    parser.add_argument("--pierced", type=int, default=0, help="scenes of thin sheets with holes")
    parser.add_argument("--burnt", type=int, default=130, help="scenes whose photos are burnt out")
    parser.add_argument("--shadowed", type=int, default=110, help="scenes with a small lamp's shadow")
    parser.add_argument("--minutes", type=float, default=60, help="of teaching each, after the pictures are made")
    parser.add_argument("--looks", nargs="+", choices=LOOKS, default=list(LOOKS), help="which to teach")
    parser.add_argument("--go-on", type=float, metavar="SHARE", help="from the weights that ship, and take so much of the new ones, 0..1")
    parser.add_argument(
        "--folder", type=Path, default=SHIPPED.parents[2] / ".yard" / "teaching", help="for the pictures; they are used again"
    )
    parser.add_argument("--out", type=Path, default=SHIPPED)
    asked = parser.parse_args()
    asked.folder.mkdir(parents=True, exist_ok=True)
    if set(asked.looks) - {_FROM_SECOND}:
        for number in range(asked.first, asked.first + asked.scenes):
            prepare(asked.folder, number, asked.printed)
        for number in range(asked.first, asked.first + asked.pierced):
            prepare_pierced(asked.folder, number, asked.printed)
        for number in range(asked.first, asked.first + asked.shadowed):
            prepare_shadowed(asked.folder, number)
        for number in range(asked.drawings):
            prepare_drawing(asked.folder, number)
    if "burnt_out_look" in asked.looks:
        for number in range(asked.first, asked.first + asked.burnt):
            prepare_burnt(asked.folder, number)
    for name, (make, teach, channels) in LOOKS.items():
        if name in asked.looks:
            network = make()
            begun, share = name if asked.go_on is not None else "second_look", asked.go_on or (1.0 if name == _FROM_SECOND else None)
            if share is not None:
                network.load_state_dict(_shipped(begun))
            network = teach(network, asked.folder, asked.minutes, RATE if share is None else RATE / 2)
            if share is not None:
                network.load_state_dict(_mixed(_shipped(begun), network.state_dict(), share))
            _write(network, channels, asked.out / f"{name}.onnx")


if __name__ == "__main__":
    main()
