"""Neutral places of the product that took a cast from its colours being changed."""

from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """How far neutrals were moved, unless a tint or one colour for all was asked for."""
    if c.shifted is None or c.shifted.neutral_shift is None or c.meant_tinted:
        return []
    shift, limit = c.shifted.neutral_shift, c.spec.limits.neutral_shift
    if shift <= limit:
        return []
    return [
        Finding(
            check="tinted-neutral",
            severity="look",
            message=f"What was neutral took a cast from Colour: {shift:.1f} in a*, b*",
            place=c.largest_place(c.shifted.neutrals),
            figure=round(shift, 2),
            limit=limit,
            unit="a*, b*",
            stage="colour",
            tool="ranges",
        )
    ]
