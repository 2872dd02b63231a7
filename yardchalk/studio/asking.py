"""What a render process at the bench can be asked."""

from dataclasses import dataclass

from yardchalk.core.cards import Card
from yardchalk.core.clear_settings import ContrastRegion, SpreadRegion
from yardchalk.core.settings import FrameMarks, ListingSpec, Marks, RunSheet
from yardchalk.core.views import View


@dataclass(frozen=True)
class Subject:
    """A photo under settings: all that a tile hangs on.

    `found` is the frame that its run sheet found for it, which holds where it has none of its own.
    """

    digest: str
    name: str
    sheet: RunSheet
    marks: Marks
    empty: str | None = None
    found: FrameMarks | None = None


@dataclass(frozen=True)
class TileAsked:
    """One tile: of the photo made smaller by so many `steps`, and its column and row in tiles of 1,024 px."""

    subject: Subject
    view: View
    card: Card
    steps: int
    column: int
    row: int
    level: int = 255


@dataclass(frozen=True)
class IslandsAsked:
    """What the white check shows at a level."""

    subject: Subject
    level: int


@dataclass(frozen=True)
class PlacedAsked:
    """The result that a listing spec would give, checked; or what formats would lose of it."""

    subject: Subject
    spec: ListingSpec
    losses: bool = False


@dataclass(frozen=True)
class GraphAsked:
    """The give-and-take graph of a photo."""

    subject: Subject


@dataclass(frozen=True)
class SampleAsked:
    """A place of the photo, x, y, width and height in its px: its colour as shot, and what it says of the light."""

    subject: Subject
    box: tuple[int, int, int, int]


@dataclass(frozen=True)
class PixelAsked:
    """One pixel of the photo, before and after."""

    subject: Subject
    x: int
    y: int
    card: Card


@dataclass(frozen=True)
class FrameAsked:
    """What is offered for the frame of a photo, its crop left out."""

    subject: Subject


@dataclass(frozen=True)
class RegionsAsked:
    """What a photo's regions come to."""

    subject: Subject


@dataclass(frozen=True)
class ReachAsked:
    """What every tolerance of a spread reaches: the map itself, or what was measured of it."""

    subject: Subject
    region: SpreadRegion
    measured: bool


@dataclass(frozen=True)
class VariantsAsked:
    """The contrast maps that best tell product from backdrop, with small pictures of them."""

    subject: Subject
    region: ContrastRegion


@dataclass(frozen=True)
class GapsAsked:
    """Places inside the product where backdrop may show."""

    subject: Subject


@dataclass(frozen=True)
class WayAsked:
    """The way along edges between two places, shares of the upright photo; or, without a start, the edge nearest to the end."""

    subject: Subject
    start: tuple[float, float] | None
    end: tuple[float, float]
    reach: float


@dataclass(frozen=True)
class TraceAsked:
    """What one region, or the whole list, says is product, as outlines."""

    subject: Subject
    number: int | None


@dataclass(frozen=True)
class EdgeAsked:
    """What was solved along a photo's outline, and what clean-up changed; fringes are held against the limit, ΔE00."""

    subject: Subject
    fringe_limit: float


@dataclass(frozen=True)
class MendsAsked:
    """What each of a photo's mends touched."""

    subject: Subject


@dataclass(frozen=True)
class DustAsked:
    """Specks that are left."""

    subject: Subject


@dataclass(frozen=True)
class ColourAsked:
    """What Colour does to the product."""

    subject: Subject


Asked = (
    TileAsked
    | GraphAsked
    | SampleAsked
    | PixelAsked
    | FrameAsked
    | RegionsAsked
    | ReachAsked
    | VariantsAsked
    | GapsAsked
    | WayAsked
    | TraceAsked
    | EdgeAsked
    | MendsAsked
    | DustAsked
    | ColourAsked
    | IslandsAsked
    | PlacedAsked
)
