"""Canvas size, fill share and centring of the result, measured on its pixels."""

from yardchalk.core.checks.finding import Checked, Finding
from yardchalk.core.stages.place import product_box


def check(c: Checked) -> list[Finding]:
    """What departs from the listing spec by more than its margin of error."""
    if not c.trimmed:
        return []
    spec, error = c.spec, c.spec.limits.margin_error
    h, w = c.alpha.shape
    found = []
    if spec.canvas is not None and (w, h) != (spec.canvas.width, spec.canvas.height):
        found.append(
            _finding(f"The canvas is {w} x {h} px instead of {spec.canvas.width} x {spec.canvas.height}", w, spec.canvas.width, "px")
        )
    left, top, right, bottom = product_box(c.alpha)
    if spec.canvas is not None:
        fill = 100 * max(right - left, bottom - top)
        if fill < spec.fill - error - 200 / max(w, h):
            found.append(_finding(f"The product fills {fill:.1f} % instead of {spec.fill:g} %", fill, spec.fill, "% of canvas"))
        if fill > spec.fill + error + 200 / max(w, h):
            found.append(_finding(f"The product fills {fill:.1f} %, more than {spec.fill:g} %", fill, spec.fill, "% of canvas"))
        off = 50 * max(abs(left + right - 1), abs(top + bottom - 1))
        if off > error:
            found.append(_finding(f"The product is {off:.1f} % off the centre", off, error, "% of canvas"))
    return found


def _finding(message: str, figure: float, limit: float, unit: str) -> Finding:
    return Finding(
        check="framing", severity="fix", message=message, figure=round(figure, 2), limit=limit, unit=unit, stage="place", tool="crop"
    )
