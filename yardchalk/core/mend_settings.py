"""Mends: the last touches on a photo, as entries in a list, each of which can be switched off, moved, changed or removed.

All places are x, y in shares of the upright photo's width and height, before any frame; all sizes are shares of its longer
side. So a mend stays where it is when the photo is turned or cropped anew. Nothing is painted into pixels for good.
"""

import base64
import binascii
import zlib
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from yardchalk.core.settings_base import BrushSize, Place, Settings, Share

MOST_MENDS = 400
FIELD_SIDE = 160  # cells along the longer side of a push's field
_FIELD_UNIT = 1 / 65536  # of the longer side, for one step of a field's 16 bits
_FIELD_BYTES = 400_000
Offset = Annotated[float, Field(ge=-1, le=1)]


class StrokeArea(Settings):
    """What a round brush passes over."""

    shape: Literal["stroke"]
    size: BrushSize = Field(description="Width of the brush, share of the photo's longer side.")
    points: tuple[Place, ...] = Field(min_length=1, max_length=400, description="x, y.")


class LoopArea(Settings):
    """What a closed line runs round."""

    shape: Literal["loop"]
    points: tuple[Place, ...] = Field(min_length=3, max_length=400, description="x, y.")


Area = Annotated[StrokeArea | LoopArea, Field(discriminator="shape")]


class MendSettings(Settings):
    """What all mends have."""

    name: str = Field("", max_length=60, description="What a person calls it.")
    on: bool = Field(True, description="Whether it counts.")


class AreaMend(MendSettings):
    """What mends of an area have."""

    area: Area
    softness: Share = Field(0.3, description="Share of the brush's half width over which it fades out; of a loop, of 2 % of the photo.")
    strength: float = Field(1.0, ge=0.01, le=1, description="How far it goes.")


class CloneMend(AreaMend):
    """Another place of the picture, as it is when this mend's turn comes."""

    kind: Literal["clone"]
    source: Place = Field(description="What the area's first point takes.")
    turn: float = Field(0.0, ge=-180, le=180, description="Degrees clockwise that the copy is turned by.")
    scale: float = Field(1.0, ge=0.1, le=10, description="How much larger the copy is.")
    mirrored: bool = Field(False, description="Left and right exchanged.")


class FillMend(AreaMend):
    """What is round it, carried on."""

    kind: Literal["fill"]
    by: Literal["auto", "smooth", "pieces"] = Field(
        "auto", description="As it fits; smoothly from the border; or put together of pieces of what is round it."
    )
    attempt: int = Field(0, ge=0, le=20, description="Another number finds other pieces.")
    found: bool = Field(False, description="Whether it was found as dust on the backdrop.")


class RestoreMend(AreaMend):
    """The original's pixels back."""

    kind: Literal["restore"]
    tones: Literal["as-shot", "before-lift", "kept"] = Field(
        "before-lift", description="As they came in; balanced, but not lifted; or left as they are."
    )
    coverage: bool = Field(True, description="Whether what was cleared there is product again.")


class CoverMend(AreaMend):
    """Made backdrop, or product, by hand."""

    kind: Literal["cover"]
    to: Literal["backdrop", "product"]


class NudgeMend(MendSettings):
    """A piece moved and turned; the gap that it leaves is filled."""

    kind: Literal["nudge"]
    area: LoopArea
    softness: Share = Field(0.15, description="Share of 2 % of the photo over which its edge blends.")
    by: tuple[Offset, Offset] = Field((0.0, 0.0), description="How far, in shares of the photo's width and height.")
    turn: float = Field(0.0, ge=-180, le=180, description="Degrees clockwise about the piece's middle.")
    attempt: int = Field(0, ge=0, le=20, description="Another number fills the gap with other pieces.")

    @property
    def still(self) -> bool:
        """Whether it has not been moved yet; then it does nothing."""
        return self.by == (0, 0) and self.turn == 0


class PushMend(MendSettings):
    """The picture's shape, pushed: a smooth field of displacements at low resolution over the whole photo."""

    kind: Literal["push"]
    across: int = Field(ge=2, le=FIELD_SIDE, description="Cells from left to right.")
    down: int = Field(ge=2, le=FIELD_SIDE, description="Cells from top to bottom.")
    field: str = Field(
        max_length=_FIELD_BYTES,
        description="Where each cell's middle takes its picture from, relative to itself: int16 x, y, row by row, little-endian, in"
        " 1/65,536 of the photo's longer side; compressed (zlib), in base64.",
    )
    strength: float = Field(1.0, ge=-1, le=1, description="How much of it; less than nothing is the other way.")

    @model_validator(mode="after")
    def _holds_its_field(self) -> "PushMend":
        self.displacement  # noqa: B018 - raises what is wrong
        return self

    @property
    def displacement(self) -> NDArray[np.float32]:
        """Shares of the longer side: float32 (down, across, 2), x and y."""
        try:
            data = zlib.decompressobj().decompress(base64.b64decode(self.field, validate=True), 4 * FIELD_SIDE * FIELD_SIDE + 1)
        except (binascii.Error, zlib.error):
            raise ValueError("field is not base64 of compressed numbers") from None
        if len(data) != 4 * self.across * self.down:
            raise ValueError(f"field holds {len(data)} bytes, not those of {self.across} x {self.down} cells")
        return (np.frombuffer(data, "<i2").reshape(self.down, self.across, 2) * _FIELD_UNIT).astype(np.float32)


def pushed(displacement: NDArray[np.float32], **settings: object) -> PushMend:
    """A push with this field: float (down, across, 2), in shares of the longer side."""
    steps = np.clip(np.round(displacement / _FIELD_UNIT), -32767, 32767).astype("<i2")
    field = base64.b64encode(zlib.compress(steps.tobytes(), 9)).decode()
    down, across = displacement.shape[:2]
    return PushMend.model_validate({"kind": "push", "across": across, "down": down, "field": field, **settings})


AnyMend = Annotated[
    CloneMend | FillMend | RestoreMend | CoverMend | NudgeMend | PushMend,
    Field(discriminator="kind"),
]


class Guide(Settings):
    """A line to align by; it changes nothing."""

    runs: Literal["level", "upright"]
    at: Share = Field(description="Of a level line, y; of an upright one, x.")


class MendMarks(Settings):
    """What this photo's picture was mended by."""

    dust: bool | None = Field(None, description="Whether dust on the backdrop is found and mended; as the run sheet has it, if left out.")
    entries: tuple[AnyMend, ...] = Field((), max_length=MOST_MENDS, description="In order; each works on what those before it left.")
    guides: tuple[Guide, ...] = Field((), max_length=20, description="Lines to align by.")


class DustSettings(Settings):
    """What is mended on any photo."""

    dust: bool = Field(False, description="Whether dust on the backdrop is found and filled from its surroundings.")
