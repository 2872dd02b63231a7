"""`./yard bench [--keep] [PART...]`, with the parts below. `--keep` makes the figures the new baseline."""

import sys

from bench import clear, edge, faults, handled, mends, quality, screens, speed, tones
from bench.table import against_baseline, write_quality

PARTS = {
    "quality": quality.run,
    "faults": faults.run,
    "edge": edge.run,
    "handled": handled.run,
    "clear": clear.run,
    "tones": tones.run,
    "mends": mends.run,
    "speed": speed.run,
    "screens": screens.run,
}


def main(arguments: list[str]) -> int:
    keep = "--keep" in arguments
    names = [name for name in arguments if name != "--keep"]
    unknown = [name for name in names if name not in PARTS]
    if unknown:
        print(f"There is no part {unknown[0]}; there are {', '.join(PARTS)}.")
        return 2
    figures: dict[str, float] = {}
    chosen = names or list(PARTS)
    for name in chosen:
        figures |= PARTS[name]()
    about_quality = {"quality", "edge", "faults", "handled"} & set(chosen)
    if keep and about_quality:
        # Before the baseline's own table is shown.
        write_quality(about_quality, quality.worst_places() if "quality" in chosen else [])
    against_baseline(figures, keep)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
