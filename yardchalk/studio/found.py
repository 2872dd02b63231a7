"""What was found for a photo, kept in the file store so that neither the bench nor another run finds it again."""

import io
import zipfile
from collections.abc import Callable

import numpy as np
from pydantic import TypeAdapter

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.render import Decisions, Render
from yardchalk.core.settings import FrameMarks
from yardchalk.core.stages.clear.region_list import Overlay
from yardchalk.core.stages.edge.matte import Solution
from yardchalk.store.files import FileStore

# Part of every key, and of every run's: a new engine computes everything anew.
ENGINE = "55"
_FRAME: TypeAdapter[FrameMarks | None] = TypeAdapter(FrameMarks | None)


def take_frame(files: FileStore, render: Render) -> None:
    """Have a render take the frame that was found for it before, or keep the one that it finds.

    Finding it means clearing the whole photo.
    """
    if not render.finds_frame:
        return
    frame, clear = render.sheet.frame.model_dump_json(), render.sheet.clear.model_dump_json()
    key = f"frame {ENGINE} {render.file_digest} {frame} {clear}"
    try:
        render.adopt_frame(_FRAME.validate_json(files.get_derived(key) or b""))
    except ValueError:
        files.put_derived(key, _FRAME.dump_json(render.frame))


def _decisions_key(render: Render) -> str:
    own = "" if render.marks.clear is None else render.marks.clear.model_dump_json()
    return f"decisions {ENGINE} {render.digest} {render.sheet.clear.model_dump_json()} {own} {render.band_key!r}"


def keep_decisions(files: FileStore, render: Render) -> None:
    """Keep what was decided, so that neither the bench nor another run decides it again."""
    decided, solution = render.decisions, render.solution
    out = io.BytesIO()
    b = decided.backdrop
    # Outside the band and the ring round it a solution is nothing but 0 and 1.
    at = np.flatnonzero(solution.index)
    # Those in the band first, then those round it.
    at = at[np.argsort(solution.index.ravel()[at])]
    number = solution.index.ravel()[at]
    beyond, inside = solution.index == 0, solution.alpha > 0.5
    far = [float(solution.distance[beyond & side].max(initial=-np.inf)) for side in (~inside, inside)]
    listed = np.column_stack([solution.front, solution.behind, solution.doubt])[number - 1]
    # Most of an overlay is one value.
    save: Callable[..., None] = np.savez if decided.overlay is None else np.savez_compressed
    save(
        out,
        product=np.packbits(decided.product),
        shape=np.array(decided.product.shape),
        support=b.support,
        coefficients=b.coefficients,
        spread=b.spread,
        numbers=np.array([b.order, b.ring_share, decided.noise, solution.spread, solution.clean, np.count_nonzero(number <= solution.own)]),
        drawn=solution.drawn,
        ink=np.array(decided.ink or ()),
        whole=np.packbits(solution.alpha > 0.5),
        far=np.array(far),
        at=at.astype(np.uint32),
        alpha=solution.alpha.ravel()[at].astype(np.float16),
        distance=solution.distance.ravel()[at].astype(np.float16),
        listed=listed.astype(np.float16),
        **({} if decided.overlay is None else {f"overlay_{name}": values for name, values in decided.overlay.maps.items()}),
    )
    files.put_derived(_decisions_key(render), out.getvalue())


def known_decisions(files: FileStore, render: Render) -> Decisions | None:
    """What was decided for this photo under these clearing settings, if it was kept and can be read."""
    data = files.get_derived(_decisions_key(render))
    if data is None:
        return None
    try:
        kept = np.load(io.BytesIO(data), allow_pickle=False)
        h, w = (int(v) for v in kept["shape"])
        order, ring_share, noise, spread, clean, own = (float(v) for v in kept["numbers"])
        model = BackdropModel(kept["coefficients"], int(order), kept["support"], kept["spread"], ring_share)
        product, whole = (np.unpackbits(kept[name], count=h * w).reshape(h, w) for name in ("product", "whole"))
        alpha, index = whole.astype(np.float32).ravel(), np.zeros(h * w, np.int32)
        distance = np.where(alpha > 0, np.float32(kept["far"][1]), np.float32(kept["far"][0]))
        at, listed = kept["at"], kept["listed"].astype(np.float32)
        alpha[at], distance[at], index[at] = kept["alpha"], kept["distance"], np.arange(1, at.size + 1)
        front, behind, doubt = (np.ascontiguousarray(listed[:, columns]) for columns in (np.s_[:4], np.s_[4:8], np.s_[8:]))
        shown = alpha.reshape(h, w), distance.reshape(h, w), spread, clean, index.reshape(h, w), int(own)
        solution = Solution(*shown, front, behind, doubt, drawn=bool(kept["drawn"]))
        laid = {name.removeprefix("overlay_"): kept[name] for name in kept.files if name.startswith("overlay_")}
        ink = tuple(kept["ink"].tolist()) or None
        return Decisions(product.astype(bool), model, noise, solution, Overlay(**laid) if laid else None, ink)
    except (ValueError, KeyError, OSError, IndexError, zipfile.BadZipFile):
        return None
