"""Speed and memory of one photo on one core, as ratios to decoding and encoding alone; and workers against each other."""

import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bench.table import show

ROOT = Path(__file__).resolve().parents[1]
LARGE = sorted((ROOT / "bench" / "large").glob("*.jpg"))


def _seconds(what: Callable[[], object]) -> float:
    """Time on the processor: what other processes took meanwhile is not counted."""
    began = time.process_time()
    what()
    return time.process_time() - began


def one(photo: str, sheet_name: str, spec_name: str) -> dict[str, float]:
    """In a process of its own, on one core."""
    os.sched_setaffinity(0, {0})
    from yardchalk.core.codecs import decode_photo, encode_picture
    from yardchalk.core.deliver import produce
    from yardchalk.core.render import Render
    from yardchalk.core.settings import load_sheet, load_spec
    from yardchalk.studio.folder_run import one_core

    one_core()
    data = Path(photo).read_bytes()
    sheet, spec = load_sheet(sheet_name), load_spec(spec_name)
    result = produce(Render(data, photo, sheet), spec)  # warm
    # Not what getrusage says: that begins with what the process held that started this one.
    memory = int(re.findall(r"VmHWM:\s+(\d+)", Path("/proc/self/status").read_text())[0]) / 1024
    back = decode_photo(result.data, "result")
    pixels = back.pixels
    if back.alpha is not None:
        import numpy as np

        pixels = np.dstack([back.pixels, back.alpha])
    rounds = []
    for _ in range(7):
        # Side by side, since how fast the machine is changes from second to second.
        decoding = _seconds(lambda: decode_photo(data, photo))
        whole = _seconds(lambda: produce(Render(data, photo, sheet), spec))
        encoding = _seconds(
            lambda: encode_picture(
                pixels, "jpeg" if spec.file == "jpeg" else "png", quality=int(result.figures["quality of the file"] or 92)
            )
        )
        rounds.append((whole / (decoding + encoding), whole, decoding, encoding))
    ratio, whole, decoding, encoding = sorted(rounds)[len(rounds) // 2]
    return {"whole": whole, "decode": decoding, "encode": encoding, "ratio": ratio, "memory": memory}


def _photos() -> dict[str, float]:
    out: dict[str, float] = {}
    rows = []
    for sheet, spec in (("white", "square-2000"), ("transparent", "cutout")):
        ratios, memories = [], []
        for photo in LARGE:
            done = subprocess.run(
                [sys.executable, "-m", "bench.speed", str(photo), sheet, spec], cwd=ROOT, capture_output=True, text=True, check=True
            )
            r = json.loads(done.stdout)
            rows.append([f"{photo.stem} {sheet}", *(f"{r[k]:.2f}" for k in ("whole", "decode", "encode", "ratio")), f"{r['memory']:.0f}"])
            ratios.append(r["ratio"])
            memories.append(r["memory"])
        out[f"24 MP {sheet}, times decode + encode"] = max(ratios)
        out[f"24 MP {sheet}, peak MB"] = max(memories)
    show("24 megapixels on one core", ["", "whole s", "decode s", "encode s", "ratio", "peak MB"], rows)
    return out


def _workers(count: int = 60) -> dict[str, float]:
    from yardchalk.core.settings import load_sheet, load_spec
    from yardchalk.studio.folder_run import run_photos

    demo = sorted((ROOT / "demo" / "photos").glob("*.jpg"))
    with tempfile.TemporaryDirectory() as folder:
        photos = []
        for i in range(count):
            photos.append(Path(folder) / f"{i:03}.jpg")
            shutil.copy(demo[i % len(demo)], photos[-1])
        seconds, files = [], []
        for workers in (1, 2):
            out = Path(folder) / str(workers)
            began = time.perf_counter()
            run_photos(photos, load_sheet("white"), load_spec("square-2000"), out, workers=workers)
            seconds.append(time.perf_counter() - began)
            files.append({path.name: path.read_bytes() for path in out.iterdir()})
    same = files[0] == files[1]
    show(
        f"{count} photos", ["", "s"], [["one worker", f"{seconds[0]:.1f}"], ["two workers", f"{seconds[1]:.1f}"], ["same bytes", str(same)]]
    )
    return {"two workers, times one": seconds[0] / seconds[1], "same bytes with 1 and 2 workers": float(same)}


def run() -> dict[str, float]:
    return _photos() | _workers()


if __name__ == "__main__":
    print(json.dumps(one(*sys.argv[1:4])))
