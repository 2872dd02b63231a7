"""A photo without a sharp edge: out of focus, shaken, or enlarged."""

from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """How far the photo's steepest edges are spread on the result; of a photo that is enlarged, its own px count."""
    limit = c.spec.limits.blur
    if c.given or c.crisp or c.blur is None:
        return []
    blur = c.blur * min(c.placing.scale, 1.0)
    if blur <= limit:
        return []
    return [
        Finding(
            check="out-of-focus",
            severity="look",
            message=f"The photo is soft: its sharpest edges are spread over {blur:.1f} px. Ask for it again, or for a larger one",
            figure=round(blur, 2),
            limit=limit,
            unit="px",
            stage="intake",
        )
    ]
