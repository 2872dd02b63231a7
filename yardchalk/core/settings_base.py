"""What all settings models share."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Share = Annotated[float, Field(ge=0, le=1)]
Place = tuple[Share, Share]
BrushSize = Annotated[float, Field(ge=0.0002, le=0.5)]


class Settings(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Stroke(Settings):
    """A stroke of a brush over the upright photo, before any frame: places are x, y in shares of its width and height, the
    size is a share of its longer side. So a stroke stays where it is when the photo is turned or cropped anew.
    """

    adds: bool = Field(True, description="Whether it says yes to what is painted, or no.")
    size: BrushSize = Field(description="Width of the brush, share of the photo's longer side.")
    points: tuple[Place, ...] = Field(min_length=1, max_length=400, description="x, y.")
