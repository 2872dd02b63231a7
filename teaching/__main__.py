"""./yard teach: render the scenes, take the photos, teach the networks, and write them where the engine reads them.

The close look is taught on what the second look finds, so the second is taught first.
"""

import argparse
from pathlib import Path

import torch

from teaching.close import teach_close_look
from teaching.network import Network
from teaching.scenes import prepare, prepare_drawing
from teaching.second import teach_second_look
from yardchalk.core import close_look, second_look

SHIPPED = Path(__file__).resolve().parents[1] / "yardchalk" / "core" / "shipped"
LOOKS = {
    "second_look": (teach_second_look, (1, second_look.CHANNELS, second_look.SIDE, second_look.SIDE)),
    "close_look": (teach_close_look, (close_look.TOGETHER, close_look.CHANNELS, close_look.TILE, close_look.TILE)),
}


def _write(network: Network, shape: tuple[int, ...], out: Path) -> None:
    names = {"input_names": ["shown"], "output_names": ["told"]}
    torch.onnx.export(network, (torch.zeros(shape),), str(out), **names, opset_version=12, dynamo=False)
    print(f"Written: {out}")


def main() -> None:
    parser = argparse.ArgumentParser(prog="./yard teach", description=__doc__)
    parser.add_argument("--scenes", type=int, default=240)
    parser.add_argument("--drawings", type=int, default=60)
    parser.add_argument("--minutes", type=float, default=60, help="of teaching each, after the pictures are made")
    parser.add_argument("--looks", nargs="+", choices=LOOKS, default=list(LOOKS), help="which to teach")
    parser.add_argument(
        "--folder", type=Path, default=SHIPPED.parents[2] / ".yard" / "teaching", help="for the pictures; they are used again"
    )
    parser.add_argument("--out", type=Path, default=SHIPPED)
    asked = parser.parse_args()
    asked.folder.mkdir(parents=True, exist_ok=True)
    for number in range(asked.scenes):
        prepare(asked.folder, number)
    for number in range(asked.drawings):
        prepare_drawing(asked.folder, number)
    for name in LOOKS:
        if name in asked.looks:
            teach, shape = LOOKS[name]
            _write(teach(asked.folder, asked.minutes), shape, asked.out / f"{name}.onnx")


if __name__ == "__main__":
    main()
