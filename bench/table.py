"""Plain tables, and the figures kept from the last run to hold new ones against."""

import json
from pathlib import Path

BASELINE = Path(__file__).with_name("baseline.json")


def show(title: str, head: list[str], rows: list[list[str]]) -> None:
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
