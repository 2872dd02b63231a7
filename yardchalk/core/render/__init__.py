"""The pull: a render asks for a region at a scale, and each stage computes what that needs.

Decisions that look at the whole photo are made once, on the analysis picture, and are the same for a preview tile and
for a delivered file. Everything computed is kept in a cache under the hash of all that went in, so that a changed
setting recomputes its own stage and those after it, nothing before.

A render is built in layers, one module each, and each knows those below it alone: the framed `photo`, what is cleared
(`clearing`), the matte (`edge`), the `tones`, the `mends`, and the `finished` picture.
"""

from yardchalk.core.render.cache import StageCache as StageCache
from yardchalk.core.render.clearing import Decisions as Decisions
from yardchalk.core.render.finished import Render as Render
