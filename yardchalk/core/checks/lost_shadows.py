"""Product pixels that our own black point drowned."""

from yardchalk.core.checks.clipped import clipped
from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit reached 0 in any channel and had not before."""
    found = clipped(c, c.drowned, c.spec.limits.lost_shadows)
    if found is None:
        return []
    return [Finding(check="lost-shadows", message=f"The tones drowned {found.words}", stage="lift", tool="black-point", **found.rest)]
