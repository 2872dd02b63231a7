"""Run the whole way once on a small drawn photo, so that every loop is compiled before the first real one comes.

`python -m yardchalk.core.warm`: part of the set-up. What was compiled is kept beside its source.
"""

from collections.abc import Iterator

import cv2
import numpy as np

from yardchalk.core.cards import Card
from yardchalk.core.clear_settings import AutomaticRegion, BoxRegion, ClearMarks, FamilyRegion, SpreadRegion
from yardchalk.core.codecs import encode_picture
from yardchalk.core.deliver import produce
from yardchalk.core.render import Render
from yardchalk.core.settings import EdgeMarks, LiftMarks, Marks, load_sheet, load_spec
from yardchalk.core.settings_base import Length, Stroke
from yardchalk.core.stages.clear.spread import offer_tolerance, reach_map
from yardchalk.core.stages.mend.pushing import push_stroke
from yardchalk.core.views import View, view

_LOOKS: tuple[tuple[View, Card], ...] = (
    ("clip", "white"),
    ("reach", "white"),
    ("removed", "white"),
    ("picture", "white"),
    ("picture", "checks"),
)


def warm() -> None:
    """Compile for photos of 8 and 16 bits, white and transparent results, and what the bench shows."""
    drawn = _ring_on_paper()
    for photo in (encode_picture(drawn, "jpeg"), encode_picture(drawn.astype(np.uint16) * 257, "png")):
        for sheet, spec in (("white", "square-2000"), ("transparent", "cutout")):
            asked = load_spec(spec)
            for file in {asked.file, "png"}:
                render = Render(photo, "a drawn ring", load_sheet(sheet))
                produce(render, asked.model_copy(update={"file": file, "canvas": None}))
        for _ in _look(render):
            pass
        for _ in _mend(photo):
            pass
    for _ in _measure(render):
        pass


def warm_for_looking() -> Iterator[None]:
    """Have what the bench needs of a photo of 8 bits read in before somebody waits for it, step by step."""
    render = Render(encode_picture(_ring_on_paper(), "jpeg"), "a drawn ring", load_sheet("white"))
    yield from _look(render)
    yield from _measure(render)
    yield from _mend(render.data)


def _measure(render: Render) -> Iterator[None]:
    """What the panels ask for, the libraries included that are loaded only then."""
    render.decisions.backdrop.contours()
    yield
    touched = SpreadRegion(kind="spread", points=((0.1, 0.1),))
    offer_tolerance(touched, render.ground)
    reach_map(touched, render.ground)
    yield
    family = FamilyRegion(kind="family", samples=(Stroke(size=0.1, points=((0.1, 0.1), (0.9, 0.1))),))
    loop = ((0.2, 0.1), (0.8, 0.1), (0.8, 0.9), (0.2, 0.9))
    box = BoxRegion(kind="box", loop=loop, strokes=(Stroke(size=0.03, points=((0.3, 0.5),)),))
    half = BoxRegion(kind="box", loop=((0.2, 0.1), (0.5, 0.1), (0.5, 0.9), (0.2, 0.9)))
    clean_up = EdgeMarks(holes=Length(value=90, unit="%"))
    for regions in ((AutomaticRegion(kind="automatic"), touched, family, box), (half,)):
        render.with_marks(Marks(clear=ClearMarks(regions=regions), edge=clean_up)).cut(1.0, render.whole(1.0))
        yield


def _mend(photo: bytes) -> Iterator[None]:
    """One fill by search, one push, and all that Colour may do."""
    spot = {"shape": "stroke", "size": 0.12, "points": [[0.5, 0.25]]}
    pushed = push_stroke(None, (400, 300), "push", ((0.4, 0.5), (0.5, 0.5)), 0.2)
    entries = [{"kind": "fill", "area": spot, "by": "pieces"}, pushed]
    colour = {"saturation": 20, "shadows": [5, 0, -5], "contrast": 10}
    for marks in ({"mend": {"entries": entries}}, {"mend": {"entries": entries}, "colour": colour}):
        render = Render(photo, "a drawn ring", load_sheet("white"), Marks.model_validate(marks))
        render.picture(0.5, render.whole(0.5))
        yield
    _ = render.shifted, render.dust


def _look(render: Render) -> Iterator[None]:
    marks = LiftMarks(scope="backdrop", strokes=(Stroke(size=0.2, points=((0.5, 0.5),)),))
    for lift in (LiftMarks(), marks):
        shown = render.with_marks(Marks(lift=lift))
        for name, card in _LOOKS:
            view(shown, name, 0.5, shown.whole(0.5), card)
            yield


def _ring_on_paper() -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
    paper = np.full((300, 400, 3), 226, np.uint8)
    cv2.circle(paper, (210, 165), 80, (196, 196, 196), 30)
    paper = cv2.GaussianBlur(paper, (0, 0), 8)
    cv2.circle(paper, (200, 150), 80, (60, 110, 150), 30)
    grain = np.random.default_rng(1).normal(0, 1.5, paper.shape)
    return np.clip(cv2.GaussianBlur(paper, (0, 0), 0.8) + grain, 0, 255).astype(np.uint8)


if __name__ == "__main__":
    warm()
