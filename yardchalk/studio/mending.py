"""What a render process answers about mends: what each touched, dust that is left, and what Colour does to the product."""

from typing import Any

from yardchalk.core.mend_settings import AnyMend, FillMend, NudgeMend, StrokeArea
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render
from yardchalk.core.stages.mend.dust import Speck


def report_on_mends(render: Render) -> dict[str, Any]:
    """Shares of the product in %, entry by entry of the photo's own list: None for one that is off."""
    _prepare(render)
    own = [mend for mend in render.marks.mend.entries if mend.on]
    dust = len(render.mends) - len(own)
    shares = iter(render.touched_shares[dust:])
    return {
        "shares": [100 * next(shares, 0.0) if mend.on else None for mend in render.marks.mend.entries],
        "total": 100 * render.touched_share,
        "dust": dust,
    }


def _prepare(render: Render) -> None:
    """Have done what the next step would have to wait for."""
    # The first fill looks at full size.
    render.part(1.0, Region(0, 1, 0, 1))
    entries = render.marks.mend.entries
    last = entries[-1] if entries else None
    if isinstance(last, NudgeMend) and last.on and last.still:
        # A piece was looped and is moved next: its gap is filled.
        moved = (*entries[:-1], last.model_copy(update={"by": (0.001, 0.0)}))
        next_one = render.with_marks(render.marks.with_mends(moved))
        next_one.adopt(render.decisions)
        scale = render.analysis_scale / 4
        next_one.mended(scale, next_one.whole(scale))


def dust_left(render: Render) -> dict[str, Any]:
    """Specks that no mend in force takes away yet."""
    left = [speck for speck in render.dust if not any(_takes(mend, speck) for mend in render.mends)]
    return {"specks": [vars(speck) for speck in left]}


def _takes(mend: AnyMend, speck: Speck) -> bool:
    area, spot = mend.area if isinstance(mend, FillMend) else None, speck.mend.area
    if not isinstance(area, StrokeArea):
        return False
    (x, y) = spot.points[0]
    return any(abs(a - x) < area.size / 2 and abs(b - y) < area.size / 2 for a, b in area.points)


def report_on_colour(render: Render) -> dict[str, Any]:
    """Settings in force, and what they do to the product."""
    found = render.shifted
    return {
        "settings": render.colour,
        "sheet": render.sheet.colour,
        "left": 0.0 if found is None else 100 * found.left_share,
        "neutral_shift": None if found is None else found.neutral_shift,
    }
