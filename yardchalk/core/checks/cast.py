"""What should be neutral and is not: the light's own colour that Balance left."""

from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """One finding if the backdrop is farther from neutral than the limit, by a colour that a lamp can have.

    A note where ink is taken off its paper, which is seldom white.
    """
    limit = c.spec.limits.cast
    if c.given or c.cast is None or c.cast <= limit:
        return []
    return [
        Finding(
            check="cast",
            severity="note" if c.inked else "look",
            message=f"The backdrop is {c.cast:.1f} ΔE from neutral: by the light, or because that is its colour",
            figure=round(c.cast, 2),
            limit=limit,
            unit="ΔE00",
            stage="balance",
            tool="neutral",
        )
    ]
