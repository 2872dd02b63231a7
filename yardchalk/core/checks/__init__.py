"""The checks. Each is a pure function from what was rendered to findings; the registry lists them in order."""

from collections.abc import Callable

from yardchalk.core.checks import (
    cut_off,
    file,
    fine_detail,
    framing,
    fringe,
    ghosts,
    left_behind,
    lost_highlights,
    missing_part,
    off_white,
    pinholes,
    ragged_edge,
    stray_piece,
    weak_outline,
)
from yardchalk.core.checks.finding import Checked, Finding, Verdict, verdict_of

REGISTRY: dict[str, Callable[[Checked], list[Finding]]] = {
    "off-white": off_white.check,
    "lost-highlights": lost_highlights.check,
    "left-behind": left_behind.check,
    "missing-part": missing_part.check,
    "fine-detail": fine_detail.check,
    "weak-outline": weak_outline.check,
    "stray-piece": stray_piece.check,
    "ghosts": ghosts.check,
    "pinholes": pinholes.check,
    "fringe": fringe.check,
    "ragged-edge": ragged_edge.check,
    "cut-off": cut_off.check,
    "framing": framing.check,
    "file": file.check,
}

_ORDER = {"fix": 0, "look": 1, "note": 2}


def run_checks(checked: Checked) -> list[Finding]:
    """All findings, worst first: by severity, then by how far the figure is over its limit."""
    found = [finding for check in REGISTRY.values() for finding in check(checked)]
    return sorted(found, key=lambda f: (_ORDER[f.severity], -f.excess, f.check))


__all__ = ["REGISTRY", "Checked", "Finding", "Verdict", "run_checks", "verdict_of"]
