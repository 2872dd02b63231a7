"""What all settings models share."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

Share = Annotated[float, Field(ge=0, le=1)]
Place = tuple[Share, Share]
BrushSize = Annotated[float, Field(ge=0.0002, le=0.5)]
Level = Annotated[int, Field(ge=0, le=255)]


def _rising(points: tuple[tuple[int, int], ...]) -> tuple[tuple[int, int], ...]:
    if any(b[0] <= a[0] or b[1] < a[1] for a, b in pairwise(points)):
        raise ValueError("points must go from left to right and never fall")
    return points


Curve = Annotated[tuple[tuple[Level, Level], ...], Field(max_length=8), AfterValidator(_rising)]


class Settings(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Stroke(Settings):
    """A stroke of a brush over the upright photo, before any frame: places are x, y in shares of its width and height, the
    size is a share of its longer side. So a stroke stays where it is when the photo is turned or cropped anew.
    """

    adds: bool = Field(True, description="Whether it says yes to what is painted, or no.")
    size: BrushSize = Field(description="Width of the brush, share of the photo's longer side.")
    points: tuple[Place, ...] = Field(min_length=1, max_length=400, description="x, y.")


class Length(Settings):
    """A length on the photo."""

    value: float = Field(ge=-200, le=200)
    unit: Literal["px", "%", "mm"] = Field(
        "px", description="px of the original, % of its longer side, or mm where the file says how many px an inch has."
    )
