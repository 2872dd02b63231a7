"""Colour: how the product's own colours are changed, after all else and never touching the backdrop."""

from typing import Annotated

from pydantic import Field

from yardchalk.core.settings_base import Curve, Settings

Percent = Annotated[float, Field(ge=-100, le=100)]
Hex = Annotated[str, Field(pattern="^#[0-9a-f]{6}$")]
Shift = tuple[Percent, Percent, Percent]


class ColourSettings(Settings):
    """The product's colours; with everything at its default not a byte is changed."""

    exposure: float = Field(0.0, ge=-3, le=3, description="Stops: each one doubles the light.")
    brightness: Percent = Field(0.0, description="Lighter or darker in the middle, ends kept. -100 to 100 %.")
    contrast: Percent = Field(0.0, description="Steeper or flatter in the middle, ends kept. -100 to 100 %.")
    curve: Curve = Field(
        (),
        description="Points [level in, level out], 0 to 255, of a smooth curve through them and through [0, 0] and [255, 255]; 8 at most.",
    )
    shadows: Shift = Field((0.0, 0.0, 0.0), description="Red, green, blue more or less where it is dark. -100 to 100 %.")
    middles: Shift = Field((0.0, 0.0, 0.0), description="The same where it is neither dark nor light.")
    lights: Shift = Field((0.0, 0.0, 0.0), description="The same where it is light.")
    hue: float = Field(0.0, ge=-180, le=180, description="Turn of all hues, degrees.")
    saturation: Percent = Field(0.0, description="All colours stronger or weaker. -100 (grey) to 100 %.")
    vibrance: Percent = Field(0.0, description="The same, but the less the stronger a colour is already. -100 to 100 %.")
    tint: Hex | None = Field(None, description="One hue for all, at each pixel's own lightness.")
    recolour: Hex | None = Field(None, description="One colour for all: for ink, whose coverage holds its texture.")
    amount: float = Field(100.0, ge=0, le=100, description="How much of all this, %.")

    @property
    def plain(self) -> bool:
        """Whether nothing is changed."""
        return self.amount == 0 or self.model_copy(update={"amount": 100.0}) == ColourSettings()


class ColourMarks(Settings):
    """This photo's own colours; what is left out is as the run sheet has it. An empty text takes a tint or recolour away."""

    exposure: float | None = Field(None, ge=-3, le=3)
    brightness: Percent | None = None
    contrast: Percent | None = None
    curve: Curve | None = None
    shadows: Shift | None = None
    middles: Shift | None = None
    lights: Shift | None = None
    hue: float | None = Field(None, ge=-180, le=180)
    saturation: Percent | None = None
    vibrance: Percent | None = None
    tint: Hex | Annotated[str, Field(pattern="^$")] | None = None
    recolour: Hex | Annotated[str, Field(pattern="^$")] | None = None
    amount: float | None = Field(None, ge=0, le=100)

    def over(self, sheet: ColourSettings) -> ColourSettings:
        """The run sheet's settings with these in their place."""
        own = {name: (None if value == "" else value) for name, value in self if value is not None}
        return sheet.model_copy(update=own) if own else sheet
