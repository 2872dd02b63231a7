"""Quality against truth, whether the checks know when a matte failed, and whether delivered white is white."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from bench.score import edge_difference, score
from bench.table import show
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Float
from yardchalk.core.deliver import produce
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render
from yardchalk.core.settings import ListingSpec, load_sheet, load_spec
from yardchalk.core.stages.place import place

ROOT = Path(__file__).resolve().parents[1]
FAILED, GOOD = 0.95, 0.985
_CROP = 64  # px
PRINT = "PW-1060_leaf-block-print"  # of the demo, the one photo of ink on paper
# Three sets: the demo's, with true colours; one that the engine was not looked at with while it was made; and what was held out
# when the second look was taught (scenes of `teaching`, everything about them drawn at random).
SETS = {
    "demo": (ROOT / "demo" / "photos", ROOT / "bench" / "truth"),
    "more": (ROOT / "bench" / "more", ROOT / "bench" / "more"),
    "unseen": (ROOT / "bench" / "unseen", ROOT / "bench" / "unseen"),
}


def coded_truth(colour: Path) -> bool:
    """Whether a true picture was mixed in codes, not in light."""
    facts = colour.with_name(colour.name.replace("_Fcast.png", ".json")).read_text()
    return "sRGB" in facts.partition("compositing_space")[2][:40]


@dataclass(frozen=True)
class Row:
    stem: str
    figures: dict[str, float]
    verdict: str
    findings: list[tuple[str, str]]
    points: bool
    white: str


def photos(name: str) -> list[tuple[Path, Path]]:
    pictures, truth = SETS[name]
    return [(path, truth / f"{path.stem}_alpha.png") for path in sorted(pictures.glob("*.jpg"))]


def unit(path: Path) -> np.ndarray:
    values = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    assert values is not None, path
    values = values[..., 2::-1] if values.ndim == 3 else values
    return (values / np.float32(np.iinfo(values.dtype).max)).astype(np.float32)


def measure(paths: tuple[Path, Path], sheet: str = "transparent") -> Row:
    photo, truth = paths
    cv2.setNumThreads(1)
    data, alpha = photo.read_bytes(), unit(truth)
    render = Render(data, photo.stem, load_sheet(sheet))
    done = produce(render, load_spec("cutout"), whole_frame=True, matte=True)
    assert done.matte is not None
    matte = (decode_photo(done.matte, "matte").pixels[..., 0] / 255).astype(np.float32)
    figures = score(matte, alpha) | _at_other_sizes(render, alpha)
    colour = truth.with_name(f"{photo.stem}_Fcast.png")
    if colour.exists():
        result = decode_photo(done.data, "result")
        assert result.alpha is not None
        rgba = (np.dstack([result.pixels, result.alpha]) / 255).astype(np.float32)
        figures |= edge_difference(rgba, alpha, unit(colour), coded_truth(colour))
    serious = [f for f in done.findings if f.severity != "note"]
    wrong = np.abs((matte > 0.5).astype(np.int8) - (alpha > 0.5)) > 0
    wrong = cv2.morphologyEx(wrong.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    points = any(wrong[y : y + h, x : x + w].any() for f in serious if f.place for x, y, w, h in [f.place.original])
    return Row(photo.stem, figures, done.verdict, [(f.check, f.severity) for f in serious], points, _white(data, photo.stem, alpha))


def _at_other_sizes(render: Render, alpha: np.ndarray) -> dict[str, float]:
    """As a preview or a smaller listing has it, and a larger one."""
    figures = {}
    for name, scale, way in (("mse_half", 0.5, cv2.INTER_AREA), ("mse_larger", 1.5, cv2.INTER_CUBIC)):
        found = render.cut(scale, render.whole(scale)).alpha
        true = np.clip(cv2.resize(alpha, found.shape[::-1], interpolation=way), 0, 1)
        figures[name] = score(found, true)["mse"]
    return figures


def _white(data: bytes, name: str, alpha: np.ndarray) -> str:
    """Pixels that truth calls background and that are not white in the delivered files, if the verdict is ready."""
    said = []
    square = load_spec("square-2000")
    for spec in (square, square.model_copy(update={"file": "png"})):
        render = Render(data, name, load_sheet("white"))
        done = produce(render, spec)
        if done.verdict != "ready":
            return done.verdict
        placing = place(spec, render.facts.width, render.facts.height, render.box)
        true = _on_canvas(alpha, placing.scale, placing.left, placing.top, spec)
        away = cv2.distanceTransform((true <= 0.001).astype(np.uint8), cv2.DIST_L2, 5)
        low = decode_photo(done.data, "result").pixels.min(-1)
        if spec.file == "png":
            said.append(f"{int((low[away > 4] < 255).sum())}")
        else:
            said.append(f"{int((low[away > 16] < 255).sum())} {int(low[away > 4].min())}")
    return " ".join(said)


def _on_canvas(alpha: np.ndarray, scale: float, left: int, top: int, spec: ListingSpec) -> np.ndarray:
    assert spec.canvas is not None
    move = np.array([[scale, 0, left + (scale - 1) / 2], [0, scale, top + (scale - 1) / 2]])
    return cv2.warpAffine(alpha, move, (spec.canvas.width, spec.canvas.height), flags=cv2.INTER_LINEAR)


def worst_places(count: int = 3) -> list[tuple[str, Path]]:
    """Pictures of the places of the worst photos where the matte is farthest off, at 400 %, with what they are."""
    folder = ROOT / "docs" / "quality"
    folder.mkdir(exist_ok=True)
    for old in folder.glob("*.png"):
        old.unlink()
    worst: list[tuple[float, tuple[Path, Path], Float, Render]] = []
    for paths in (pair for name in SETS for pair in photos(name)):
        data, alpha = paths[0].read_bytes(), unit(paths[1])
        render = Render(data, paths[0].stem, load_sheet("transparent"))
        whole = render.whole(1.0)
        off = (render.cut(1.0, whole).alpha - alpha) ** 2
        # No more of them at a time, since each holds all that was computed.
        worst = sorted([*worst, (float(off.mean() * 1e3), paths, off, render)], key=lambda item: -item[0])[:count]
    out = []
    for error, (photo, truth), off, render in worst:
        sums = cv2.boxFilter(off, -1, (_CROP, _CROP), borderType=cv2.BORDER_CONSTANT)
        y, x = np.unravel_index(int(sums.argmax()), off.shape)
        h, w = off.shape
        top, left = min(max(int(y) - _CROP // 2, 0), h - _CROP), min(max(int(x) - _CROP // 2, 0), w - _CROP)
        region = Region(top, top + _CROP, left, left + _CROP)
        mattes = [
            np.repeat((values * 255).round().astype(np.uint8)[..., None], 3, 2)
            for values in (render.cut(1.0, region).alpha, unit(truth)[region.index])
        ]
        panels = [render.part(1.0, region).pixels, *mattes, render.picture(1.0, region, "grey")]
        row = np.concatenate([np.repeat(np.repeat(panel, 4, 0), 4, 1) for panel in panels], axis=1)
        path = folder / f"{photo.stem}.png"
        path.write_bytes(encode_picture(np.ascontiguousarray(row), "png"))
        out.append((f"{photo.stem}: mse {error:.1f}, at {left}, {top}", path))
    return out


def run() -> dict[str, float]:
    out: dict[str, float] = {}
    for name in SETS:
        with ProcessPoolExecutor(2) as pool:
            rows = list(pool.map(measure, photos(name)))
        columns = list(rows[0].figures)
        table = [[row.stem, *(f"{row.figures[c]:.4g}" for c in columns)] for row in rows]
        median = {c: float(np.median([row.figures[c] for row in rows])) for c in columns}
        table.append(["median", *(f"{median[c]:.4g}" for c in columns)])
        table.append(["mean", *(f"{np.mean([row.figures[c] for row in rows]):.4g}" for c in columns)])
        show(f"Matte against truth, set '{name}' (mse x 1000; dE in the edge band)", ["", *columns], table)
        verdicts = []
        for row in rows:
            failed, good = row.figures["iou"] < FAILED, row.figures["iou"] > GOOD
            wrong = (failed and not (row.findings and row.points)) or (good and row.verdict == "fix")
            said = ", ".join(sorted({check for check, _ in row.findings})) or "-"
            verdicts.append(
                [row.stem, f"{row.figures['iou']:.4f}", row.verdict, "yes" if row.points else "no", "WRONG" if wrong else "ok", said]
            )
        show(f"Knows when it failed, set '{name}'", ["", "iou", "verdict", "points at a wrong place", "", "findings"], verdicts)
        white = [[row.stem, *(row.white.split() if " " in row.white else [row.white, "", ""])] for row in rows]
        show(
            f"Delivered white, of photos whose verdict is ready, set '{name}'",
            ["", "JPEG px not 255 beyond 16 px", "JPEG least beyond 4 px", "PNG px not 255 beyond 4 px"],
            white,
        )
        out |= {f"{name} median {c}": median[c] for c in ("iou", "mse", "dE_white", "dE_black", "holes") if c in median}
        out[f"{name} failed and not said"] = float(sum(v[4] == "WRONG" for v in verdicts))
    return out | _print()


def _print() -> dict[str, float]:
    """Ink on paper, cut automatically and by the run sheet that is for it."""
    (paths,) = (pair for pair in photos("demo") if pair[0].stem == PRINT)
    sheets = ("transparent", "ink")
    with ProcessPoolExecutor(2) as pool:  # as above: what was measured here would be held by the processes of the parts after this
        rows = dict(zip(sheets, pool.map(measure, [paths, paths], sheets), strict=True))
    columns = list(rows["ink"].figures)
    table = [[sheet, *(f"{row.figures[c]:.4g}" for c in columns)] for sheet, row in rows.items()]
    show(f"Ink on paper ({PRINT}), by run sheet", ["", *columns], table)
    return {f"print by the run sheet ink, {c}": rows["ink"].figures[c] for c in ("iou", "mse", "dE_white", "dE_black")}
