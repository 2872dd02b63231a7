"""Colours that Colour drove out of sRGB, where they are cut off."""

from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """The product's share that left sRGB by its colours being changed, at its largest place."""
    if c.shifted is None:
        return []
    share, limit = 100 * c.shifted.left_share, c.spec.limits.out_of_srgb
    if share <= limit:
        return []
    return [
        Finding(
            check="out-of-srgb",
            severity="look",
            message=f"Colours were driven out of sRGB on {share:.1f} % of the product, and are cut off there",
            place=c.largest_place(c.shifted.left),
            figure=round(share, 3),
            limit=limit,
            unit="% of product",
            stage="colour",
            tool="saturation",
        )
    ]
