"""Canvas size, fill share and centring of the result, measured on its pixels."""

from yardchalk.core.checks.finding import Checked, Finding
from yardchalk.core.stages.place import product_box


def check(c: Checked) -> list[Finding]:
    """What departs from the listing spec by more than its margin of error."""
    if not c.trimmed:
        return []
    spec = c.spec
    h, w = c.alpha.shape
    found = []
    if spec.canvas is not None and (w, h) != (spec.canvas.width, spec.canvas.height):
        found.append(
            _finding(f"The canvas is {w} x {h} px instead of {spec.canvas.width} x {spec.canvas.height}", w, spec.canvas.width, "px")
        )
    left, top, right, bottom = product_box(c.alpha)
    # Of nothing, size and place say nothing; that there is nothing is said by missing part.
    if spec.canvas is not None and c.shows:
        found += _on_canvas(c, left, top, right, bottom)
    elif spec.aspect is not None and abs(w * spec.aspect[1] - h * spec.aspect[0]) > max(spec.aspect):
        shape, wanted = w / h, spec.aspect[0] / spec.aspect[1]
        found.append(_finding(f"The picture is {shape:.3f} : 1 instead of {wanted:.3f} : 1", shape, wanted, "width : height"))
    return found


def _on_canvas(c: Checked, left: float, top: float, right: float, bottom: float) -> list[Finding]:
    """What of the product's size and place on the canvas is off; its box in shares of the canvas."""
    spec, error = c.spec, c.spec.limits.margin_error
    step = 200 / max(c.alpha.shape)
    found = []
    fill = 100 * max(right - left, bottom - top)
    on_base = spec.stand == "base-line"
    # A product that stands aside or on a line may have no room to fill more.
    room = 200 * min(spec.across, 100 - spec.across) / 100, spec.base_line if on_base else 100.0
    bound = 100 * (right - left) >= room[0] - error - step or 100 * (bottom - top) >= room[1] - error - step
    if fill < spec.fill - error - step and not bound:
        found.append(_finding(f"The product fills {fill:.1f} % instead of {spec.fill:g} %", fill, spec.fill, "% of canvas"))
    if fill > spec.fill + error + step:
        found.append(_finding(f"The product fills {fill:.1f} %, more than {spec.fill:g} %", fill, spec.fill, "% of canvas"))
    aside = abs(50 * (left + right) - spec.across)
    down = abs(100 * bottom - spec.base_line) if on_base else abs(50 * (top + bottom) - 50)
    if max(aside, down) > error:
        if on_base and down >= aside:
            words = f"The product's foot is {down:.1f} % off the base line"
        elif spec.across != 50 and aside > down:
            words = f"The product is {aside:.1f} % off its place across"
        else:
            words = f"The product is {max(aside, down):.1f} % off the centre"
        found.append(_finding(words, max(aside, down), error, "% of canvas"))
    return found


def _finding(message: str, figure: float, limit: float, unit: str) -> Finding:
    return Finding(
        check="framing", severity="fix", message=message, figure=round(figure, 2), limit=limit, unit=unit, stage="place", tool="none"
    )
