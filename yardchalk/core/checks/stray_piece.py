"""Small kept pieces apart from the product: crumbs, dust, pencil marks."""

from yardchalk.core.checks.finding import Checked, Finding, by_size, islands

_LEAST = 40  # px of the analysis picture; smaller ones are crumbs that the matte drops by itself


def check(c: Checked) -> list[Finding]:
    """One finding for all pieces smaller than the limit's share of the largest piece; its place is the largest of them."""
    if c.given:
        return []
    pieces = islands(c.kept)
    order = by_size(pieces)
    if not order:
        return []
    limit = c.spec.limits.stray_piece
    whole = int(pieces.area[order[0]])
    strays = [i for i in order if _LEAST <= pieces.area[i] < whole * limit / 100]
    if not strays:
        return []
    area = int(pieces.area[strays[0]])
    count = "A small piece was" if len(strays) == 1 else f"{len(strays)} small pieces were"
    return [
        Finding(
            check="stray-piece",
            severity="look",
            message=f"{count} kept apart from the product, the largest {round(area / c.analysis_scale**2):,} px",
            place=c.piece_on_analysis(pieces, strays[0]),
            figure=round(100 * area / whole, 3),
            limit=limit,
            unit="% of product",
            stage="clear",
            tool="rub",
        )
    ]
