"""The checks. Each is a pure function from what was rendered to findings; the registry lists them in order.

What is told only beside the other photos of a lot is in `lot`.
"""

from collections.abc import Callable

from yardchalk.core.checks import (
    cast,
    cut_off,
    file,
    fine_detail,
    framing,
    fringe,
    ghosts,
    left_behind,
    lost_highlights,
    lost_shadows,
    missing_part,
    off_white,
    out_of_focus,
    out_of_srgb,
    pinholes,
    ragged_edge,
    stray_piece,
    tinted_neutral,
    too_alike,
    weak_outline,
)
from yardchalk.core.checks.finding import Allowed, Checked, Finding, Scope, Verdict, gathered, verdict_of, worst_first

REGISTRY: dict[str, Callable[[Checked], list[Finding]]] = {
    "off-white": off_white.check,
    "lost-highlights": lost_highlights.check,
    "lost-shadows": lost_shadows.check,
    "cast": cast.check,
    "out-of-focus": out_of_focus.check,
    "left-behind": left_behind.check,
    "missing-part": missing_part.check,
    "too-alike": too_alike.check,
    "fine-detail": fine_detail.check,
    "weak-outline": weak_outline.check,
    "stray-piece": stray_piece.check,
    "ghosts": ghosts.check,
    "pinholes": pinholes.check,
    "fringe": fringe.check,
    "ragged-edge": ragged_edge.check,
    "out-of-srgb": out_of_srgb.check,
    "tinted-neutral": tinted_neutral.check,
    "cut-off": cut_off.check,
    "framing": framing.check,
    "file": file.check,
}

# Of a lot, see `lot`.
BESIDE_OTHERS = ("soft-picture", "odd-one-out")


def run_checks(checked: Checked) -> list[Finding]:
    """All findings, worst first."""
    return worst_first([finding for check in REGISTRY.values() for finding in gathered(check(checked))])


__all__ = [
    "BESIDE_OTHERS",
    "REGISTRY",
    "Allowed",
    "Checked",
    "Finding",
    "Scope",
    "Verdict",
    "run_checks",
    "verdict_of",
    "worst_first",
]
