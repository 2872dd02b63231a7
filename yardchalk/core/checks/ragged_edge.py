"""Edges that are cut too sharp, smeared too soft, or rough."""

from yardchalk.core.checks.finding import Checked, Finding, Tool
from yardchalk.core.stages.edge.stretches import Stretch

# px of the analysis picture, whatever size the photo has.
_SHARP, _SOFT, _ROUGH = 0.5, 6.0, 1.2
_TOOLS: dict[str, Tool] = {"rough": "smooth", "cut too sharp": "feather", "too soft": "levels"}
_FINE = 0.3  # share of a stretch that is thin detail: there, no outline is smooth
_SEEN = 0.5  # share of it that a close look was had of


def check(c: Checked) -> list[Finding]:
    """One finding if more of the outline than the limit is ragged; its place is the longest stretch of what most of that is.

    A note where the product is fine detail, which has a finding of its own: beside bristles, no outline is smooth. Nor is that of
    ink, which is taken as it was printed. What was drawn has no soft edge to be cut too sharp.
    """
    if c.inked:
        return []
    length = sum(stretch.length for stretch in c.stretches)
    faults: dict[str, list[Stretch]] = {}
    for stretch in c.stretches:
        wrong = fault(stretch, c.analysis_scale, c.crisp)
        if wrong is not None:
            faults.setdefault(wrong, []).append(stretch)
    lengths = {wrong: sum(stretch.length for stretch in faults[wrong]) for wrong in faults}
    limit = c.spec.limits.ragged_edge
    share = 100 * sum(lengths.values()) / max(length, 1)
    if share <= limit:
        return []
    # Most of it first: that is what is mended.
    kinds = sorted(lengths, key=lambda wrong: lengths[wrong], reverse=True)
    wrong = kinds[0]
    worst = max(faults[wrong], key=lambda stretch: stretch.length)
    # What a close look has found rough is so in the photo; smoothed, bristles would be gone.
    seen = wrong == "rough" and worst.looked > _SEEN
    why = ", seen closely: fibres, or what is left of a shadow" if seen else ""
    return [
        Finding(
            check="ragged-edge",
            severity="note" if c.thin_share > c.spec.limits.fine_detail else "look",
            message=f"{share:.0f} % of the outline is {' or '.join(kinds)}{why}",
            place=c.place_from_original(*worst.box),
            figure=round(share, 1),
            limit=limit,
            unit="% of outline",
            stage="edge",
            tool="brush" if seen else _TOOLS[wrong],
        )
    ]


def fault(stretch: Stretch, scale: float, crisp: bool) -> str | None:
    """What is wrong with a stretch's outline, in a word or two.

    `scale` is that of the analysis picture; `crisp`: whether the photo's own edges are as sharp as can be.
    """
    if stretch.fine > _FINE:
        return None
    if stretch.width * scale < _SHARP and not crisp:
        return "cut too sharp"
    if stretch.width * scale > _SOFT:
        return "too soft"
    return "rough" if stretch.roughness * scale > _ROUGH else None
