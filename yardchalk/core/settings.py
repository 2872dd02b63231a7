"""The settings of every stage, and what a listing asks for: the single source of schema, files and options.

A *run sheet* holds what fits any photo; *marks* hold what belongs to one photo; a *listing spec* holds what the
receiving channel demands. JSON Schemas of all three are generated from these models.
"""

import json
import re
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar, get_args

from pydantic import AfterValidator, Field, ValidationError, model_validator

from yardchalk.core.clear_settings import AnyRegion, ClearMarks, fits_any_photo
from yardchalk.core.colour_settings import ColourMarks, ColourSettings
from yardchalk.core.errors import BadSettings
from yardchalk.core.listing import Limits as Limits
from yardchalk.core.listing import ListingSpec as ListingSpec
from yardchalk.core.mend_settings import AnyMend, DustSettings, MendMarks
from yardchalk.core.settings_base import Curve, Length, Settings, Share, Stroke

WhitePoint = Annotated[int, Field(ge=128, le=255)]
BlackPoint = Annotated[int, Field(ge=0, le=100)]
Mid = Annotated[float, Field(ge=0.2, le=5)]
Gain = Annotated[float, Field(ge=0.1, le=10)]


class FrameSettings(Settings):
    """Which part of a photo is looked at, where the photo has no frame of its own."""

    crop: Literal["none", "set", "close"] = Field(
        "none",
        description="Whether paper edges, stands and other surfaces are left out; or, close, all that is far from a product that is "
        "small in the frame, where that lets more of the photo's pixels be looked at.",
    )
    turns: int = Field(0, ge=0, le=3, description="Quarter turns clockwise.")


class BalanceMarks(Settings):
    """This photo's own balance: gains on linear light with green left alone, or the temperature and tint of its light."""

    red: Gain | None = Field(None, description="Gain on red, 0.1 to 10.")
    blue: Gain | None = Field(None, description="Gain on blue, 0.1 to 10.")
    temperature: float | None = Field(None, ge=2000, le=25000, description="Of the light, in kelvin, 2,000 to 25,000.")
    tint: float | None = Field(None, ge=-60, le=60, description="Of the light, -60 (magenta) to 60 (green), in thousandths of u, v.")

    @model_validator(mode="after")
    def _one_way(self) -> "BalanceMarks":
        given = (self.red is not None, self.blue is not None, self.temperature is not None, self.tint is not None)
        if given not in {(True, True, False, False), (False, False, True, True)}:
            raise ValueError("give red and blue, or temperature and tint")
        return self


class BalanceSettings(Settings):
    """Which light counts as white, where a photo has no balance of its own."""

    neutral: Literal["as-shot", "backdrop", "light"] = Field(
        "as-shot", description="Leave the colours as they came; make the backdrop neutral; or take the light that is given."
    )
    light: BalanceMarks | None = Field(None, description="Of the set, where it is given.")

    @model_validator(mode="after")
    def _has_its_light(self) -> "BalanceSettings":
        if (self.neutral == "light") != (self.light is not None):
            raise ValueError("neutral: light, and the light itself, come together")
        return self


class LiftSettings(Settings):
    """Tone: push the backdrop towards white."""

    on: bool = Field(True, description="Whether the stage acts at all.")
    even: float = Field(1.0, ge=0, le=1, description="Strength of Even light: how far the backdrop's gradient is divided out.")
    white_point: WhitePoint | Literal["auto"] = Field(
        "auto",
        description="The level that becomes white; auto takes the one that just clips the backdrop, as far as the product bears it.",
    )
    black_point: BlackPoint = Field(0, description="The level that becomes black, 0 to 100.")
    mid: Mid = Field(1.0, description="Mid-tone: coded levels to the power of 1/mid; over 1 is lighter. 0.2 to 5.")
    curve: Curve = Field(
        (),
        description="Points [level in, level out], 0 to 255, of a smooth curve through them and through [0, 0] and [255, 255]; 8 at most.",
    )
    scope: Literal["photo", "backdrop"] = Field("photo", description="Whether the product's tones move too.")


class ClearSettings(Settings):
    """Which pixels are backdrop."""

    on: bool = Field(True, description="Whether the backdrop is cleared; off keeps the whole photo.")
    regions: tuple[AnyRegion, ...] = Field(
        (), max_length=40, description="In order, what is backdrop on any photo; none stands for the automatic one."
    )

    @model_validator(mode="after")
    def _fit_any_photo(self) -> "ClearSettings":
        for number, region in enumerate(self.regions):
            if not fits_any_photo(region):
                raise ValueError(f"regions.{number}: {region.kind} names places of one photo, so it belongs into that photo's marks")
        return self


LevelOfNone = Annotated[float, Field(ge=0, le=99)]
LevelOfFull = Annotated[float, Field(ge=1, le=100)]


def _must_rise(black: float, white: float) -> None:
    if white < black + 1:
        raise ValueError("white must be at least 1 % above black")


def _no_less_than_nothing(length: Length) -> Length:
    if length.value < 0:
        raise ValueError("must not be less than nothing")
    return length


def _no_more_than_an_edge(length: Length) -> Length:
    most = _MOST[length.unit]
    if abs(length.value) > most:
        raise ValueError(f"must not be over {most} {length.unit}")
    return length


Extent = Annotated[Length, AfterValidator(_no_less_than_nothing)]
# What an edge is moved or softened by. More than this is no edge any more, and takes minutes.
_MOST = {"px": 30, "%": 5, "mm": 10}
Move = Annotated[Length, AfterValidator(_no_more_than_an_edge)]
Spread = Annotated[Extent, AfterValidator(_no_more_than_an_edge)]


class EdgeSettings(Settings):
    """The matte in the band along the border, and the product's colours there."""

    solver: Literal["auto", "known", "open"] = Field(
        "auto",
        description="A close look and, where none is had, what the known backdrop tells along with the photo's own colours; the known"
        " backdrop alone; or the photo's colours alone.",
    )
    width: Extent | None = Field(None, description="How far from the outline coverage is open, to either side; set, no close look is had.")
    mixing: Literal["auto", "light", "codes"] = Field(
        "auto",
        description="What is mixed where an edge covers a pixel in part: light, as by a lens; codes, as by the program that drew a"
        " picture; or what the picture is measured to be, a photo or a drawing.",
    )
    specks: Extent = Field(Length(value=4), description="Pieces smaller than a square of this side are dropped.")
    holes: Extent = Field(Length(value=4), description="Holes smaller than a square of this side are filled.")
    smooth: Spread = Field(Length(value=0), description="How far the outline is evened out along its way.")
    grow: Move = Field(Length(value=0), description="How far the outline moves outwards; inwards if less than nothing.")
    feather: Spread = Field(Length(value=0), description="How far the edge is softened.")
    black: LevelOfNone = Field(0, description="Coverage, in %, that becomes none.")
    white: LevelOfFull = Field(100, description="Coverage, in %, that becomes full.")
    density: float = Field(0, ge=0, le=1, description="How far washed-out thin detail gets its density back.")
    fringe: float = Field(1, ge=0, le=1, description="How far the edge is freed of the backdrop's colour.")
    fringe_width: Extent = Field(Length(value=0), description="How far inside the outline colour is taken from deeper in.")
    shadow: Literal["drop", "keep", "draw"] = Field(
        "drop", description="Leave the product's shadow out, keep it as grey, or draw a soft one where the product stands."
    )
    shadow_strength: float = Field(1, ge=0, le=1, description="How dark the shadow is.")
    shadow_softness: Extent = Field(Length(value=1.5, unit="%"), description="How soft a drawn shadow is.")
    page_true: bool = Field(
        True, description="Store transparent edges so that a browser's blend of coded values comes out as light would mix."
    )

    @model_validator(mode="after")
    def _levels_rise(self) -> "EdgeSettings":
        _must_rise(self.black, self.white)
        return self


class PlaceSettings(Settings):
    """What lies behind the product."""

    background: Literal["spec", "white", "transparent"] = Field("spec", description="Take it from the listing spec, or insist.")


class RunSheet(Settings):
    """The settings of all stages, with nothing in them that fits one photo only."""

    format: Literal["yardchalk-run-sheet/1"] = "yardchalk-run-sheet/1"
    name: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,40}$")
    title: str = Field("", max_length=80)
    version: int = Field(1, ge=1)
    note: str = Field("", max_length=2000)
    frame: FrameSettings = FrameSettings()
    balance: BalanceSettings = BalanceSettings()
    lift: LiftSettings = LiftSettings()
    clear: ClearSettings = ClearSettings()
    edge: EdgeSettings = EdgeSettings()
    mend: DustSettings = DustSettings()
    colour: ColourSettings = ColourSettings()
    place: PlaceSettings = PlaceSettings()


class FrameMarks(Settings):
    """Which part of the photo is looked at."""

    turns: int = Field(0, ge=0, le=3, description="Quarter turns clockwise.")
    angle: float = Field(0.0, ge=-45, le=45, description="Degrees clockwise that it is straightened by; no empty corner is kept.")
    crop: tuple[Share, Share, Share, Share] | None = Field(
        None, description="Left, top, right, bottom, shares 0 to 1 of the frame as turned and straightened."
    )

    @model_validator(mode="after")
    def _has_area(self) -> "FrameMarks":
        if self.crop is not None and (self.crop[2] - self.crop[0] < 0.02 or self.crop[3] - self.crop[1] < 0.02):
            raise ValueError("crop must leave at least 2 % each way")
        return self


class LiftMarks(Settings):
    """This photo's own tones; what is left out is as the run sheet has it."""

    even: float | None = Field(None, ge=0, le=1, description="Strength of Even light.")
    white_point: WhitePoint | None = None
    black_point: BlackPoint | None = None
    mid: Mid | None = None
    curve: Curve | None = None
    scope: Literal["photo", "backdrop"] | None = None
    strokes: tuple[Stroke, ...] | None = Field(None, max_length=60, description="Where Lift acts (adds) or not, painted; later ones win.")


class EdgeMarks(Settings):
    """This photo's own edge; what is left out is as the run sheet has it."""

    solver: Literal["auto", "known", "open"] | None = None
    width: Extent | None = None
    mixing: Literal["auto", "light", "codes"] | None = None
    specks: Extent | None = None
    holes: Extent | None = None
    smooth: Spread | None = None
    grow: Move | None = None
    feather: Spread | None = None
    black: LevelOfNone | None = None
    white: LevelOfFull | None = None
    density: float | None = Field(None, ge=0, le=1)
    fringe: float | None = Field(None, ge=0, le=1)
    fringe_width: Extent | None = None
    shadow: Literal["drop", "keep", "draw"] | None = None
    shadow_strength: float | None = Field(None, ge=0, le=1)
    shadow_softness: Extent | None = None
    wider: tuple[Stroke, ...] = Field((), max_length=60, description="Where coverage is open however far from the outline; later ones win.")
    glass: tuple[Stroke, ...] = Field((), max_length=60, description="Where the product is seen through; later ones win.")
    see_through: float | None = Field(None, ge=0, le=1, description="How far it is seen through there; 0.8 if left out.")

    @model_validator(mode="after")
    def _levels_rise(self) -> "EdgeMarks":
        if self.black is not None and self.white is not None:
            _must_rise(self.black, self.white)
        return self

    def over(self, sheet: EdgeSettings) -> EdgeSettings:
        """The run sheet's settings with these in their place; of its levels, one that a level here crosses gives way."""
        own = {name: getattr(self, name) for name in EdgeSettings.model_fields if getattr(self, name, None) is not None}
        if self.black is not None and self.white is None:
            own["white"] = max(sheet.white, self.black + 1)
        if self.white is not None and self.black is None:
            own["black"] = min(sheet.black, self.white - 1)
        return EdgeSettings.model_validate(dict(sheet) | own) if own else sheet


class PlaceMarks(Settings):
    """This photo's own place on its canvas; what is left out is as the listing spec has it, and the checks go by that."""

    fill: float | None = Field(None, ge=1, le=100, description="Share of the canvas's tighter side that the product fills, in %.")
    margin: float | None = Field(None, ge=0, le=45, description="Without a canvas: margin on each side, % of the product's longer side.")
    across: float | None = Field(None, ge=1, le=99, description="Where the product's middle stands, % from the left.")
    stand: Literal["middle", "base-line"] | None = None
    base_line: float | None = Field(None, ge=1, le=100, description="Where the product's foot stands, % from the top.")

    def over(self, spec: ListingSpec) -> ListingSpec:
        """The listing spec with these in the place of its own."""
        return spec.model_copy(update=self.model_dump(exclude_none=True))


class Marks(Settings):
    """What belongs to one photo: its departures from the run sheet."""

    frame: FrameMarks | None = Field(None, description="The whole photo, if left out.")
    balance: BalanceMarks | None = Field(None, description="As the run sheet has it, if left out.")
    lift: LiftMarks = LiftMarks()
    edge: EdgeMarks = EdgeMarks()
    mend: MendMarks = MendMarks()
    colour: ColourMarks = ColourMarks()
    place: PlaceMarks = PlaceMarks()
    clear: ClearMarks | None = Field(None, description="Regions that say what is backdrop; as the run sheet has it, if left out.")

    def as_kept(self) -> dict[str, Any]:
        """Just what departs from the run sheet, for JSON."""
        return self.model_dump(mode="json", exclude_none=True, exclude_defaults=True)

    def with_mends(self, entries: tuple[AnyMend, ...]) -> "Marks":
        """The same with another list of mends."""
        return self.model_copy(update={"mend": self.mend.model_copy(update={"entries": entries})})


_KINDS = {"int", "float", "bool", "str", "tuple", "body", "query", "path"}
_ENTRIES = {get_args(kind.model_fields["kind"].annotation)[0] for union in (AnyRegion, AnyMend) for kind in get_args(get_args(union)[0])}
_Model = TypeVar("_Model", RunSheet, ListingSpec, Marks)


@cache
def shipped(kind: Literal["sheets", "specs"]) -> tuple[str, ...]:
    """Names of the run sheets or listing specs that ship with the application, in order."""
    folder = files("yardchalk.core") / "shipped" / kind
    return tuple(sorted(item.name.removesuffix(".json") for item in folder.iterdir() if item.name.endswith(".json")))


def _load(model: type[_Model], kind: Literal["sheets", "specs"], name: str) -> _Model:
    if name in shipped(kind):
        return _load_shipped(model, kind, name)
    path = Path(name)
    if not path.is_file():
        raise BadSettings(
            "is neither a file nor one that ships", where=name, remedy=f"Shipped: {', '.join(shipped(kind))}; or name a .json file"
        )
    return parse(model, path.read_text(), name)


@cache
def _load_shipped(model: type[_Model], kind: str, name: str) -> _Model:
    return parse(model, (files("yardchalk.core") / "shipped" / kind / f"{name}.json").read_text(), name)


def parse(model: type[_Model], text: str, where: str) -> _Model:
    """Read a run sheet or listing spec from JSON; BadSettings names the first field that is wrong."""
    try:
        return model.model_validate(json.loads(text))
    except json.JSONDecodeError as error:
        raise BadSettings(f"is not JSON (line {error.lineno}: {error.msg})", where=where, remedy="Mend the file") from None
    except ValidationError as error:
        raise BadSettings(what_is_wrong(error.errors()[0]), where=where, remedy="Mend that value") from None


def what_is_wrong(error: Any) -> str:
    """A validation error of Pydantic in words, with the path of the setting: `lift.white_point: 300 is over 255`."""
    # Where a value may be of several kinds, their names stand in the path too; no setting is named like a kind.
    loc = error["loc"]
    path = ".".join(
        str(part)
        for before, part in zip((None, *loc), loc, strict=False)
        # The kind of a region or mend stands after its number.
        if not re.search(r"[^a-z0-9_]", str(part)) and part not in _KINDS and not (isinstance(before, int) and part in _ENTRIES)
    )
    limits = error.get("ctx", {})
    words = {
        "less_than_equal": f"{error['input']} is over {limits.get('le')}",
        "greater_than_equal": f"{error['input']} is under {limits.get('ge')}",
        "extra_forbidden": "is no setting",
        "missing": "is missing",
        "too_short": f"holds {limits.get('actual_length')}, at least {limits.get('min_length')} is needed",
        "too_long": f"holds {limits.get('actual_length')}, more than {limits.get('max_length')}",
    }.get(error["type"], error["msg"].removeprefix("Value error, "))
    return f"{path or 'the file'}: {words}"


def load_sheet(name: str) -> RunSheet:
    """A shipped run sheet by name, or one from a JSON file."""
    return _load(RunSheet, "sheets", name)


def load_spec(name: str) -> ListingSpec:
    """A shipped listing spec by name, or one from a JSON file."""
    return _load(ListingSpec, "specs", name)


def load_marks(name: str) -> dict[str, Marks]:
    """Marks of single photos from a JSON file: an object with a file name for each."""
    path = Path(name)
    if not path.is_file():
        raise BadSettings("is not there", where=name, remedy="Check the name")
    try:
        given = json.loads(path.read_text())
    except json.JSONDecodeError as error:
        raise BadSettings(f"is not JSON (line {error.lineno}: {error.msg})", where=name, remedy="Mend the file") from None
    if not isinstance(given, dict):
        raise BadSettings("is no object of file names", where=name, remedy='Write {"photo.jpg": {...}}')
    return {photo: parse(Marks, json.dumps(marks), f"{name}, {photo}") for photo, marks in given.items()}
