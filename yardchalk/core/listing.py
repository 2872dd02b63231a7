"""What a listing channel asks for: canvas, place of the product, what lies behind it, file, and what the checks let pass."""

import base64
import binascii
import re
from functools import lru_cache
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from yardchalk.core.codecs import decode_photo
from yardchalk.core.codecs.reading import Limits as ReadLimits
from yardchalk.core.errors import UnreadablePhoto
from yardchalk.core.pixels import Picture
from yardchalk.core.settings_base import Settings, Share

FileKind = Literal["jpeg", "png", "webp", "tiff", "gif", "openraster", "matte"]
# What can hold a see-through background, and what can hold 16 bits a channel.
SEE_THROUGH: frozenset[str] = frozenset({"png", "webp", "tiff", "gif", "openraster"})
DEEP: frozenset[str] = frozenset({"png", "tiff"})
WITH_QUALITY: frozenset[str] = frozenset({"jpeg", "webp"})
_FIELDS = frozenset({"name", "sku", "folder", "lot", "n", "spec"})
_PICTURE_BYTES = 3_000_000
# Of a result: each takes some 20 bytes of memory while it is made.
MOST_PIXELS = 150_000_000


class Limits(Settings):
    """What the checks let pass."""

    white_level: int = Field(255, ge=200, le=255, description="Every channel of a backdrop pixel must reach this level.")
    lost_highlights: float = Field(0.1, ge=0, le=100, description="Share of the product that may be burnt by us, in %.")
    lost_shadows: float = Field(0.1, ge=0, le=100, description="Share of the product that may be drowned in black by us, in %.")
    blur: float = Field(
        1.8, ge=0, le=100, description="How far a photo's sharpest edges may be spread, px of the smaller of it and the picture."
    )
    cast: float = Field(1.5, ge=0, le=100, description="How far what should be neutral may be from it, ΔE00.")
    too_alike: float = Field(15.0, ge=0, le=100, description="Share of the product's colours that may be the backdrop's too, in %.")
    out_of_srgb: float = Field(0.1, ge=0, le=100, description="Share of the product that Colour may drive out of sRGB, in %.")
    neutral_shift: float = Field(1.5, ge=0, le=100, description="How far Colour may move what is neutral, in CIELAB's a*, b*.")
    left_behind: float = Field(0.02, ge=0, le=100, description="Largest kept place that the backdrop explains, % of the photo.")
    missing_part: float = Field(0.05, ge=0, le=100, description="Largest dropped place that nothing explains, % of the photo.")
    fine_detail: float = Field(1.8, ge=0, le=100, description="Share of the product that may be thin (wires, bristles, lines), in %.")
    weak_outline: float = Field(2.8, ge=0, le=100, description="Longest stretch of outline that is a guess, % of the longer side.")
    ghosts: float = Field(12, ge=0, description="Largest faint island apart from the product, px.")
    pinholes: float = Field(12, ge=0, description="Largest hole within the product, px.")
    fringe: float = Field(3.0, ge=0, le=100, description="How far the edge's colour leans towards the backdrop, mean, ΔE00.")
    ragged_edge: float = Field(5.0, ge=0, le=100, description="Share of the outline that is too sharp, too soft or too rough, in %.")
    stray_piece: float = Field(0.5, ge=0, le=100, description="Kept pieces smaller than this are doubted, % of the largest piece.")
    margin_error: float = Field(0.5, ge=0, le=10, description="How far fill and place may be off, % of the canvas.")


class Canvas(Settings):
    width: int = Field(ge=16, le=20000, description="px")
    height: int = Field(ge=16, le=20000, description="px")

    @model_validator(mode="after")
    def _fits_in_memory(self) -> "Canvas":
        if self.width * self.height > MOST_PIXELS:
            raise ValueError(f"a canvas has {MOST_PIXELS // 1_000_000} megapixels at most")
        return self


def _a_picture(value: str) -> str:
    try:
        held_picture(value)
    except UnreadablePhoto as error:
        raise ValueError(error.what) from None
    return value


# A picture that travels inside the JSON, so that a spec is whole wherever it is taken: a data address (RFC 2397) in base64.
HeldPicture = Annotated[str, AfterValidator(_a_picture)]


class Added(Settings):
    """A picture or mark that is laid on the canvas, over the product."""

    picture: HeldPicture = Field(description="PNG, JPEG or WebP as a data address; see-through where it says so.")
    across: Share = Field(0.95, description="Where on the canvas, from the left: 0 sets its left edge there, 1 its right edge.")
    down: Share = Field(0.95, description="Where on the canvas, from the top: 0 sets its upper edge there, 1 its lower edge.")
    width: float = Field(12.0, gt=0, le=100, description="Its width, % of the canvas's.")
    strength: Share = Field(1.0, description="How strongly it covers.")


class ListingSpec(Settings):
    """What a listing channel asks for."""

    format: Literal["yardchalk-listing-spec/1"] = "yardchalk-listing-spec/1"
    name: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,40}$")
    title: str = Field("", max_length=80)
    version: int = Field(1, ge=1)
    note: str = Field("", max_length=2000)
    background: Literal["white", "transparent", "colour", "picture"] = "white"
    colour: str = Field("#ffffff", pattern="^#[0-9a-f]{6}$", description="What lies behind, where the background is a colour.")
    picture: HeldPicture | None = Field(None, description="What lies behind, where the background is a picture; fills the canvas.")
    canvas: Canvas | None = Field(None, description="Fixed canvas; without one the picture is trimmed to the product.")
    aspect: tuple[Annotated[int, Field(ge=1, le=100)], Annotated[int, Field(ge=1, le=100)]] | None = Field(
        None, description="Without a canvas: width to height, reached by wider margins."
    )
    fill: float = Field(85.0, ge=1, le=100, description="With a canvas: share of its tighter side that the product fills, in %.")
    margin: float = Field(4.0, ge=0, le=45, description="Without a canvas: margin on each side, % of the product's longer side.")
    across: float = Field(50.0, ge=1, le=99, description="With a canvas: where the product's middle stands, % from the left.")
    stand: Literal["middle", "base-line"] = Field("middle", description="With a canvas: centred in height, or standing on a base line.")
    base_line: float = Field(90.0, ge=1, le=100, description="Where the product's foot stands, % from the top.")
    enlarge: bool = Field(True, description="Whether a small product may be enlarged to reach the fill share.")
    added: tuple[Added, ...] = Field((), max_length=8, description="Pictures and marks laid over the product, in order.")
    file: FileKind = "jpeg"
    bits: Literal[8, 16] | None = Field(
        None, description="Bits a channel, in PNG, TIFF and matte; left out, as the photo has them (8 in a matte)."
    )
    quality: int = Field(
        92, ge=60, le=100, description="JPEG and WebP quality to start from; a JPEG's is raised where compression would grey the backdrop."
    )
    lossless: bool = Field(False, description="WebP without loss.")
    dpi: float = Field(72.0, ge=1, le=2400)
    max_bytes: int | None = Field(None, ge=2_000, description="Largest file accepted, bytes; quality is lowered to meet it.")
    exif: Literal["keep", "trim", "drop"] = Field(
        "drop", description="What the camera wrote: all of it, or just date, maker, model and rights, or nothing."
    )
    location: bool = Field(False, description="Whether the place where the photo was taken stays in it.")
    names: str = Field(
        "{name}", min_length=1, max_length=120, description="File names: {name}, {sku}, {folder}, {lot}, {n}, {n:03}, {spec}, and text."
    )
    limits: Limits = Limits()

    @model_validator(mode="after")
    def _fits_together(self) -> "ListingSpec":
        if self.background == "transparent" and self.file == "jpeg":
            raise ValueError("JPEG holds no transparency: take PNG, WebP, TIFF or GIF, or another background")
        if self.background == "picture" and self.picture is None:
            raise ValueError("choose the picture that lies behind")
        if self.bits == 16 and self.file not in (*DEEP, "matte"):
            raise ValueError("16 bits a channel fit PNG, TIFF and a matte only")
        if self.canvas is not None and self.aspect is not None:
            raise ValueError("a canvas has its aspect already: leave one of the two out")
        for field in re.findall(r"\{([^}]*)\}|[{}]", self.names):
            name, _, width = field.partition(":")
            if name not in _FIELDS or (width and not (name == "n" and re.fullmatch(r"0[1-9]", width))):
                known = "{name}, {sku}, {folder}, {lot}, {n}, {n:03} and {spec}"
                raise ValueError(f"names: {{{field}}} is not known; there are {known}")
        return self

    @property
    def behind(self) -> tuple[int, int, int] | None:
        """Level of red, green and blue behind the product; None where it is see-through or a picture."""
        if self.background == "white":
            return 255, 255, 255
        if self.background == "colour":
            return tuple(int(self.colour[k : k + 2], 16) for k in (1, 3, 5))  # type: ignore[return-value]
        return None


@lru_cache(maxsize=32)
def held_picture(address: str) -> Picture:
    """The picture of a data address, 8 bits.

    Raises
    ------
    UnreadablePhoto
        No picture, or more than 3 MB.
    """
    found = re.match(r"data:image/[a-z+]+;base64,", address)
    try:
        data = base64.b64decode(address[found.end() :] if found else address, validate=True)
    except binascii.Error:
        data = b""
    if found is None or not data:
        raise UnreadablePhoto("is no picture as a data address (data:image/png;base64,...)", where="The picture")
    return decode_photo(data, "The picture", ReadLimits(max_bytes=_PICTURE_BYTES, max_pixels=40_000_000)).eight_bit()
