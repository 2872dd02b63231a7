"""Plain tables, and the figures kept from the last run to hold new ones against."""

import json
from pathlib import Path

BASELINE = Path(__file__).with_name("baseline.json")
QUALITY = Path(__file__).resolve().parents[1] / "docs" / "quality.md"
_INTRO = """# Quality against truth

Made by `./yard bench --keep quality faults edge handled`: every figure is from one run on photos whose truth is known to the pixel.
The photos of set 'more' were not looked at while the engine was made; those of set 'unseen' were held out when its second look was
taught; numbers from 8000 on were made last, and what failed on some of them led to changes. iou: intersection over union above a
half; mse: mean squared error of coverage × 1000; false_bg: share of true background farther than 6 px from the product with
coverage over 2 %; holes: share of solid product with coverage under 98 %; mse_half and mse_larger: mse at half and at one and a
half times the photo's size; dE: mean CIEDE2000 in the edge band, laid on a card as a browser blends.
"""
_shown: list[tuple[str, list[str], list[list[str]]]] = []


def show(title: str, head: list[str], rows: list[list[str]]) -> None:
    _shown.append((title, head, rows))
    widths = [max(len(row[i]) for row in [head, *rows]) for i in range(len(head))]
    print(f"\n{title}")
    for row in [head, *rows]:
        print(
            "  "
            + "  ".join(cell.ljust(width) if i == 0 else cell.rjust(width) for i, (cell, width) in enumerate(zip(row, widths, strict=True)))
        )


def against_baseline(figures: dict[str, float], keep: bool) -> None:
    """Print every figure beside the one that was kept; keep the new ones if asked."""
    kept: dict[str, float] = json.loads(BASELINE.read_text()) if BASELINE.exists() else {}
    show(
        "Figures and baseline",
        ["", "now", "baseline"],
        [[n, f"{v:.4g}", f"{kept[n]:.4g}" if n in kept else "-"] for n, v in figures.items()],
    )
    if keep:
        BASELINE.write_text(json.dumps({**kept, **{n: round(v, 5) for n, v in figures.items()}}, indent=1) + "\n")


def write_quality(parts: set[str], pictures: list[tuple[str, Path]]) -> None:
    """Put the tables shown so far, and pictures of the worst places, into docs/quality.md; what other parts wrote there stays."""
    kept = QUALITY.read_text().split("\n## ")[1:] if QUALITY.exists() else []
    sections = {text.partition("\n")[0]: text for text in kept}
    for title, head, rows in _shown:
        lines = [f"| {' | '.join(cells)} |" for cells in (head, ["---"] * len(head), *rows)]
        sections[title] = "\n".join([title, "", *lines, ""])
    if "quality" in parts:
        title = "The worst places, at 400 %"
        shown = [f"{words}\n\n![{words}]({path.relative_to(QUALITY.parent)})\n" for words, path in pictures]
        sections[title] = "\n".join(
            [title, "", "From left to right: the photo, the matte, the true matte, the cut-out on grey.", "", *shown]
        )
    QUALITY.write_text(_INTRO + "".join(f"\n## {text.rstrip()}\n" for text in sections.values()))
