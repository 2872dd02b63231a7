"""Product pixels that our own lifting burnt."""

from yardchalk.core.checks.clipped import clipped
from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit reached full level in any channel and had not before."""
    found = clipped(c, c.burnt, c.spec.limits.lost_highlights)
    if found is None:
        return []
    return [Finding(check="lost-highlights", message=f"Lifting burnt {found.words}", stage="lift", tool="scope", **found.rest)]
