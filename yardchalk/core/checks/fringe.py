"""Edges whose colour leans towards the old backdrop's: a pale ring on dark cards, a dark one on light cards."""

from yardchalk.core.checks.finding import Checked, Finding

_LISTED = 4
_OVER = 3.2  # times the limit; a single stretch may be that much worse than the mean


def check(c: Checked) -> list[Finding]:
    """One finding for the whole edge if its mean is over the limit, else one for each stretch that is far over it.

    Ink that is taken as it was printed has no edge whose colour was solved.
    """
    if c.inked:
        return []
    limit = c.spec.limits.fringe
    length = sum(stretch.length for stretch in c.stretches)
    if not length:
        return []
    mean = sum(stretch.fringe * stretch.length for stretch in c.stretches) / length
    worst = sorted(c.stretches, key=lambda stretch: -stretch.fringe)
    if mean > limit:
        before = sum(stretch.fringe_before * stretch.length for stretch in c.stretches) / length
        message = f"The whole edge leans to the backdrop's colour by {mean:.1f} ΔE; as shot by {before:.1f} ΔE"
        return [_finding(c, message, worst[0].box, mean, limit)]
    return [
        _finding(
            c, f"The edge leans to the backdrop's colour by {s.fringe:.1f} ΔE along {s.length:,.0f} px", s.box, s.fringe, _OVER * limit
        )
        for s in worst[:_LISTED]
        if s.fringe > _OVER * limit
    ]


def _finding(c: Checked, message: str, box: tuple[int, int, int, int], figure: float, limit: float) -> Finding:
    return Finding(
        check="fringe",
        severity="look",
        message=message,
        place=c.place_from_original(*box),
        figure=round(figure, 2),
        limit=limit,
        unit="ΔE00",
        stage="edge",
        tool="fringe",
    )
