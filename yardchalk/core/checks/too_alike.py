"""Products with the backdrop's own colours: there, no colour can tell them apart, and the outline wants a look."""

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product's colours than the limit are the backdrop's too; its place is the largest such place."""
    share, limit = 100 * c.colours.share, c.spec.limits.too_alike
    if share <= limit or c.given or not c.evidence.support.any():
        return []
    pieces = islands(c.colours.alike)
    largest = larger_than(pieces, 0, 1)
    return [
        Finding(
            check="too-alike",
            severity="look",
            message=f"{share:.0f} % of the product's colours are the backdrop's too: its outline hangs on shading there",
            place=c.piece_on_analysis(pieces, largest[0], c.clearing.product.shape[0] // c.colours.alike.shape[0]) if largest else None,
            figure=round(share, 1),
            limit=limit,
            unit="% of product",
            stage="clear",
            tool="outline",
        )
    ]
