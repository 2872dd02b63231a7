"""What the API takes and gives. The page's TypeScript types are generated from these."""

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from yardchalk.core.by_example import Carried
from yardchalk.core.cards import Card
from yardchalk.core.checks import Finding, Scope, Verdict
from yardchalk.core.checks.finding import Place as PlaceFound
from yardchalk.core.clear_settings import AnyRegion, ContrastMap, Knot
from yardchalk.core.codecs.reading import PhotoFacts
from yardchalk.core.colour_settings import ColourSettings
from yardchalk.core.listing import FileKind, HeldPicture
from yardchalk.core.mend_settings import FillMend
from yardchalk.core.mending import MENDABLE, Mend
from yardchalk.core.settings import EdgeSettings, ListingSpec, Marks
from yardchalk.core.settings_base import BrushSize, Stroke
from yardchalk.core.settings_base import Place as PlaceIn
from yardchalk.core.stages.edge.stretches import Stretch
from yardchalk.core.stages.lift import GiveAndTake
from yardchalk.core.stages.mend.pushing import PushTool

State = Literal["idle", "waiting", "running", "done", "failed"]


# As far as JSON holds whole numbers exactly, well within what PostgreSQL numbers rows by.
RowNumber = Annotated[int, Field(ge=1, le=2**53 - 1)]


class _Out(BaseModel):
    model_config = ConfigDict(extra="ignore")


class Message(BaseModel):
    """What happened, and what to do."""

    message: str


class LotAsked(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    sheet: str = "white"
    spec: str = "square-2000"


class Name(BaseModel):
    name: str = Field(min_length=1, max_length=120)


class Due(BaseModel):
    due: date | None = Field(description="The day by which the lot is owed; null if no day is set.")


class InForce(BaseModel):
    """The run sheet and listing spec of a lot."""

    sheet: str
    spec: str


class PhotosNamed(BaseModel):
    """Photos by number; all of the lot if none are named."""

    photos: list[RowNumber] | None = None


class RunAsked(PhotosNamed):
    anew: bool = Field(False, description="Also the named photos that are done as their settings ask.")
    failed: bool = Field(False, description="Only those that failed.")


class PhotosChosen(BaseModel):
    """Some photos of a lot, by number."""

    photos: list[RowNumber] = Field(min_length=1)


class SheetAsked(PhotosChosen):
    """A run sheet of their own for some photos; null for the lot's."""

    sheet: str | None


Reason = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class AllowAsked(BaseModel):
    """Let a finding pass: its number in the photo's list, and its message to make sure that it is the one meant."""

    number: int
    message: str
    scope: Scope = "photo"
    reason: Reason


class AllowAlike(PhotosChosen):
    """Let all findings of a check pass in some photos of a lot."""

    check: str
    reason: Reason


class MendAlike(PhotosChosen):
    """Mend all findings of a check in some photos of a lot."""

    check: str


class MendDone(_Out):
    """What was done, and in how many photos."""

    words: str
    photos: int


class MendedAlike(_Out):
    photos: list[int] = Field(description="That were changed.")
    done: list[MendDone]
    left: list[str] = Field(description="Names of those where no one press mends it.")


class DeliverAsked(BaseModel):
    verdicts: list[Verdict] = ["ready"]
    new_only: bool = Field(False, description="Leave out what was delivered as it is.")
    spec: str | None = Field(None, description="Another listing spec than the lot's, for which the photos are computed anew.")


class Count(BaseModel):
    count: int


class Created(BaseModel):
    id: int


class Lot(_Out):
    id: int
    name: str
    sheet: str
    spec: str
    created_at: datetime
    photos: int
    ready: int
    look: int
    fix: int
    failed: int
    waiting: int
    idle: int
    outdated: int = Field(description="Done by another version of the engine.")
    delivered: int = Field(description="Done, and delivered as they are.")
    refused: int
    paused: bool
    due: date | None = Field(description="The day by which it is owed.")


class RemovedLot(_Out):
    id: int
    name: str
    kept_until: datetime
    photos: int


class LotCard(Lot):
    """A lot with the previews of its first photos."""

    fan: list[str]


class ColourGiven(BaseModel):
    colour: str = Field(pattern="^#[0-9a-f]{6}$")


class PictureGiven(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    picture: HeldPicture = Field(description="PNG, JPEG or WebP as a data address.")


class OwnCard(_Out):
    """A test card of one's own."""

    card: Card
    name: str


class RefusedFile(_Out):
    name: str
    reason: str
    at: datetime


class LotDetail(Lot):
    seconds_left: float | None
    refusals: list[RefusedFile]
    mendable: list[str] = Field(sorted(MENDABLE), description="Checks of whose findings some are mended by one press.")


class FoundBrief(_Out):
    """A finding as a tile shows it; place is x, y, width, height in px of the result."""

    check: str
    severity: Literal["fix", "look"]
    message: str
    figure: float
    unit: str
    place: tuple[int, int, int, int] | None


class LineupTile(_Out):
    id: int
    name: str
    state: State
    verdict: Verdict | None
    rank: int = Field(description="Of its group: fix, look, ready, failed, waiting.")
    worst: float = Field(description="How far its worst finding is off the limit; 1 is at the limit.")
    sheet: str | None = Field(description="Its own run sheet, if it has one.")
    allowed: int = Field(description="Findings that were let pass.")
    preview: str | None
    as_shot: str | None = Field(description="A small picture of the photo as it came in, while there is no preview, or nothing on it.")
    error: str | None
    result_width: int | None
    result_height: int | None
    width: int
    height: int
    own_marks: bool
    delivered: bool = Field(description="As it is.")
    found: list[FoundBrief]


class Neighbour(_Out):
    id: int
    name: str
    preview: str | None = Field(description="Of the result or, before there is one, of the photo as it came in.")
    verdict: Verdict | None
    state: State
    checks: list[str] = Field(description="What found something that is neither a note nor let pass, one entry for each finding.")


class Snapshot(_Out):
    id: int
    name: str
    at: datetime


class FindingOut(Finding):
    """A finding, and what is offered to mend it."""

    mend: Mend | None = None


class Island(BaseModel):
    """A place that the white check shows."""

    place: PlaceFound
    area: int = Field(description="px of the original.")
    worst: int = Field(description="Level of its darkest channel, of 255.")
    paint: Mend | None
    keep: Mend | None


class Islands(BaseModel):
    level: int
    count: int
    area: int = Field(description="px of the original, of all of them.")
    islands: list[Island]
    sweep: list[tuple[int, int]] = Field(description="For every level from 200 to 255: how many px do not reach it.")


class Dot(BaseModel):
    photo: int
    name: str
    value: float


class StripOut(BaseModel):
    """A figure of a lot's photos."""

    title: str
    unit: str
    median: float
    low: float = Field(description="What is lower is far from the lot's.")
    high: float
    dots: list[Dot]


class AllowanceOut(_Out):
    id: int
    scope: Scope
    check: str
    reason: str
    at: datetime
    photo_id: int | None
    photo_name: str | None
    serves: int = Field(description="How many findings of the lot it lets pass.")


class PhotoDetail(_Out):
    id: int
    lot_id: int
    lot_name: str
    name: str
    digest: str
    sheet: str
    spec: str
    facts: PhotoFacts
    marks: Marks
    state: State
    verdict: Verdict | None
    own_sheet: str | None
    findings: list[FindingOut]
    figures: dict[str, Any]
    error: str | None
    order: list[Neighbour]
    undo: str | None = Field(description="What undo would take back.")
    redo: str | None = Field(description="What redo would do again.")
    snapshots: list[Snapshot]
    width: int = Field(description="Of the photo as framed, px.")
    height: int
    whole_width: int = Field(description="Of the photo as turned and straightened, before the crop, px.")
    whole_height: int
    empty_id: int | None = Field(description="The photo of the lot that shows the empty set, if one was chosen.")
    empty_name: str | None
    crop: tuple[float, float, float, float] | None = Field(description="In force, the photo's own or the run sheet's, in shares.")
    to_frame: tuple[tuple[float, float, float], tuple[float, float, float]] = Field(
        description="Affine map from shares of the upright photo to shares of the frame."
    )
    longest: float = Field(description="Longer side of the upright photo, px of the original.")
    lift_on: bool
    as_shot: str | None = Field(description="A small picture of the photo as it came in; older ones have none.")
    preview: str | None
    result_width: int | None
    result_height: int | None
    listing: ListingSpec = Field(description="The listing spec in force, without its pictures.")
    sheet_regions: list[AnyRegion] = Field(description="What the run sheet has in the place of automatic clearing.")
    clear_on: bool
    tile_base: str = Field(description="First part of the addresses of this photo's tiles; changes with the lot's run sheet.")
    steps: int = Field(description="By how many steps, each to 0.707 of the size, the photo before the crop fits into one tile.")


Place = tuple[float, float]


class RegionReport(BaseModel):
    share: float | None = Field(description="Of the frame that the region takes for backdrop by itself, 0 to 1; null if it is off.")
    trouble: str | None = Field(description="Why it was left out.")
    figures: dict[str, float]


class ClearReport(BaseModel):
    """What a photo's regions come to."""

    regions: list[RegionReport]
    removed: float = Field(description="Share of the frame, 0 to 1.")
    removed_px: float = Field(description="px of the original.")
    overlap: float = Field(description="Share of the product's colours that are the backdrop's too, 0 to 1.")
    overlap_limit: float
    advice: str | None
    width: int = Field(description="Of the analysis picture, px; reach maps have its size.")
    height: int


class StretchOut(Stretch):
    fault: str | None = Field(description="What is wrong with it, in a word or two.")


class Changed(BaseModel):
    """What a clean-up changed."""

    count: int = Field(description="Pieces, where it works by pieces.")
    area: float = Field(description="px of the original, weighted by coverage.")


class UsualEdge(BaseModel):
    """What holds where nothing is set."""

    width: float = Field(description="How far coverage is open to either side of the outline, at least; px of the original.")
    see_through: float


class EdgeReport(BaseModel):
    """What was solved along a photo's outline; lengths in px of the original, fringes in ΔE00, means along the outline."""

    settings: EdgeSettings = Field(description="In force.")
    sheet: EdgeSettings = Field(description="The run sheet's.")
    given: bool = Field(description="Whether the file brought its own transparency, which is kept.")
    usual: UsualEdge
    drawn: bool = Field(description="Whether edges are taken to mix codes, as in what was drawn, not light.")
    only_ink: bool = Field(description="Whether all of it is a print in one ink, so that density says what is covered.")
    stretches: list[StretchOut]
    length: float
    fringe_before: float
    fringe: float
    fringe_limit: float = Field(description="The listing spec's.")
    width: float = Field(description="From 10 to 90 % coverage.")
    told: float = Field(description="Share in which the known backdrop told product from backdrop, 0 to 1.")
    looked: float = Field(description="Share in which a close look did, 0 to 1.")
    spread: float = Field(description="How far the lens spreads an edge, as a standard deviation.")
    changes: dict[str, Changed]


class MendReport(BaseModel):
    """What mends touched, in % of the product."""

    shares: list[float | None] = Field(description="Of each entry, in order; null for one that is off.")
    total: float = Field(description="By all together.")
    dust: int = Field(description="Specks on the backdrop that are mended because the run sheet, or this photo, asks for it.")


class SpeckOut(BaseModel):
    on: Literal["backdrop", "product"]
    box: tuple[int, int, int, int] = Field(description="x, y, width, height in px of the framed photo.")
    area: int = Field(description="px")
    height: float = Field(description="How far it stands out, levels; less than nothing is darker.")
    mend: FillMend


class Dust(BaseModel):
    specks: list[SpeckOut]


MarksKey = Annotated[str, StringConstraints(pattern="^[0-9a-f-]{36}$")]


class PushWanted(BaseModel):
    """A stroke of the push brush, in shares of the upright photo."""

    marks: Marks
    at: int | None = Field(None, ge=0, description="The push among these marks' mends that goes on; without it, one begins after them.")
    key: MarksKey = Field(description="What the marks that come of it go by in the address of a tile.")
    tool: PushTool
    points: list[PlaceIn] = Field(min_length=1, max_length=400)
    size: BrushSize
    strength: float = Field(1.0, ge=0.01, le=1)


class ColourReport(BaseModel):
    """What Colour does to the product."""

    settings: ColourSettings = Field(description="In force.")
    sheet: ColourSettings = Field(description="The run sheet's.")
    left: float = Field(description="Share of the product that left sRGB, in %.")
    neutral_shift: float | None = Field(description="How far neutrals were moved, in CIELAB's a*, b*; null where there are none.")


class Copied(BaseModel):
    copied: list[str]


class LeakOut(BaseModel):
    tolerance: float
    at: Place = Field(description="Shares of the upright photo.")
    share: float = Field(description="Of the frame that it lets in, 0 to 1.")
    wall: list[Stroke]


class SpreadOfferOut(BaseModel):
    areas: list[float] = Field(description="Share of the frame reached, by tolerance in quarters.")
    plateaus: list[tuple[float, float]]
    best: float | None
    leaks: list[LeakOut]


class VariantOut(BaseModel):
    map: ContrastMap
    separation: float
    picture: str = Field(description="A data: address.")


class Variants(BaseModel):
    variants: list[VariantOut]


class GapOut(BaseModel):
    at: Place = Field(description="A place in it, shares of the upright photo.")
    box: tuple[int, int, int, int] = Field(description="x, y, width, height in px of the framed photo.")
    share: float = Field(description="Of the frame, 0 to 1.")
    likeness: float = Field(description="To the backdrop, 0 to 1.")


class Gaps(BaseModel):
    gaps: list[GapOut]


class WayWanted(BaseModel):
    """From where to where, shares of the upright photo; without a start, the edge nearest to the end is looked for."""

    start: PlaceIn | None = None
    end: PlaceIn
    reach: BrushSize = 0.01


class Points(BaseModel):
    points: list[Place]


class Outlines(BaseModel):
    paths: list[list[Knot]]


class SvgIn(BaseModel):
    d: str = Field(min_length=1, max_length=1_000_000, description="Path data, in px of the upright photo.")


class Svg(BaseModel):
    svg: str


class NewKept(BaseModel):
    name: str = Field(min_length=1, max_length=60)
    region: AnyRegion


class KeptOut(_Out):
    id: int
    name: str
    region: AnyRegion


class FrameOffers(BaseModel):
    crop_to_set: tuple[float, float, float, float] | None = Field(
        description="The largest frame without other surfaces than the backdrop, in shares; null if there are none."
    )
    crop_close: tuple[float, float, float, float] | None = Field(
        description="The frame close round a product that is small in it, in shares; null if no more of the photo's pixels would be seen."
    )
    angle_of_base: float | None = Field(description="Degrees clockwise that make the product's base level.")
    angle_of_symmetry: float | None = Field(description="Degrees clockwise that make the product's axis upright.")
    symmetry: float | None = Field(description="How alike its halves are then, 0 to 1.")


class Level(BaseModel):
    angle: float = Field(description="Degrees clockwise.")


class Tones(BaseModel):
    even: float
    black_point: int
    mid: float
    curve: list[tuple[int, int]]
    scope: Literal["photo", "backdrop"]


class BalanceOut(BaseModel):
    red: float
    blue: float
    temperature: float = Field(description="Of the light that is made white, kelvin.")
    tint: float
    backdrop_red: float = Field(description="Gain on red that would make the backdrop neutral.")
    backdrop_blue: float
    cast_before: float = Field(description="Of the backdrop as shot, ΔE00 from grey.")
    cast_after: float


class LiftGraph(BaseModel):
    graph: GiveAndTake
    contours: list[tuple[int, list[tuple[float, float]]]] = Field(
        description="Lines of equal level of the backdrop model: the level of 255, and points in shares of the frame."
    )
    white_point: int
    tones: Tones
    balance: BalanceOut
    backdrop_levels: tuple[int, int]
    sure_of_backdrop: float


class SampleOut(BaseModel):
    count: int = Field(description="px")
    spread: float = Field(description="ΔE00")
    cast_before: float
    cast_now: float
    cast_after: float
    red: float
    blue: float
    temperature: float
    tint: float
    white_point: int
    black_point: int


class PixelOut(BaseModel):
    before: tuple[int, int, int]
    after: tuple[int, int, int]
    before_off_white: float = Field(description="ΔE00")
    after_off_white: float


class SameLight(BaseModel):
    copied: list[str]
    differing: list[tuple[str, float]]
    unmeasured: list[str]


class EmptySet(BaseModel):
    photo: RowNumber | None


class NewSnapshot(BaseModel):
    name: str = Field(min_length=1, max_length=60)


class DeliveredFile(_Out):
    id: int
    name: str
    named: str = Field(description="What had to be done to the name; empty if nothing.")
    answer: Literal["asked", "accepted", "refused", "unanswered"] | None = Field(description="Of the listing desk.")
    reasons: list[str]
    source: str
    photo_id: int | None
    lot_id: int | None = Field(description="The lot that the photo is found in; None if it was removed.")
    digest: str | None = Field(description="None until it is computed.")
    left_out: str | None = Field(description="Why it is not in the delivery; None if it is.")
    preview: str | None = Field(description="What the file looks like; None of files delivered before that was kept.")
    see_through: bool = Field(description="Whether it is seen on what a page lays behind it, and not on white.")
    bytes: int
    verdict: Verdict | None
    findings: list[Finding]


class DeliveryOut(_Out):
    id: int
    lot_id: int | None = Field(description="None if the lot was removed.")
    lot_name: str
    sheet: str
    spec: str
    folder: str
    created_at: datetime
    state: Literal["waiting", "writing", "done", "failed"]
    error: str | None
    files: int
    made: int = Field(description="Of these, whose results are there.")
    left_out: int
    bytes: int
    sent: int = Field(description="Files that the listing desk was asked of.")
    asked: int = Field(description="Of these, that it has not answered yet.")
    accepted: int


class PlannedFile(_Out):
    """What a delivery would write."""

    photo: int
    source: str
    name: str
    why: str = Field(description="What had to be done to the name; empty if nothing.")
    verdict: Verdict
    delivered: bool = Field(description="As it is, before.")


class ShelfText(BaseModel):
    """Settings as JSON, and what to call where they are from in a message."""

    text: str = Field(max_length=20_000_000)
    where: str = Field("the editor", max_length=200)
    title: str | None = Field(None, max_length=80, description="Another title, under which it is kept as something of its own.")


class Reference(BaseModel):
    ref: str


class Words(BaseModel):
    words: list[str]


class ExampleAsked(BaseModel):
    title: str = Field(min_length=1, max_length=80)
    note: str = Field("", max_length=2000)
    keep: bool = False


class ExampleOut(BaseModel):
    """What a photo is an example of; `ref` once it is kept."""

    ref: str | None
    words: list[str]
    carried: list[Carried]


class Departure(_Out):
    """A photo with settings of its own."""

    id: int
    name: str
    stages: list[str]
    sheet: str | None


class TriesAsked(BaseModel):
    sheets: list[str] = Field(min_length=1, max_length=6)
    photos: list[RowNumber] = Field(min_length=1, max_length=8)
    again: bool = Field(False, description="Also what failed.")


class TriedCell(_Out):
    photo_id: int
    sheet: str
    state: Literal["waiting", "running", "done", "failed"]
    verdict: Verdict | None
    findings: list[Finding]
    figures: dict[str, float | None]
    preview: str | None
    error: str | None
    took_ms: int | None


class SpecTried(BaseModel):
    spec: ListingSpec


class PlacedOut(BaseModel):
    """What a spec gives of a photo; the picture is a data address."""

    width: int
    height: int
    picture: str
    bytes: int
    quality: float | None
    verdict: Verdict
    findings: list[Finding]


class FormatLoss(BaseModel):
    """What a format loses of a picture; `before` and `after` show the place where it loses most, as data addresses."""

    file: FileKind
    bytes: int
    quality: int | None
    mean: float = Field(description="ΔE00 over the product")
    worst: float = Field(description="ΔE00, 99.9th percentile")
    edge: float | None = Field(description="How far coverage is off at the edge, %.")
    words: list[str]
    place: tuple[int, int, int, int]
    before: str
    after: str


class FormatsOut(BaseModel):
    formats: list[FormatLoss]


class Arrival(_Out):
    kind: Literal["taken", "refused", "known"]
    name: str
    reason: str
    source: str
    at: datetime
    lot_id: int
    lot_name: str
    photo_id: int | None
    format: str | None
    width: int | None
    height: int | None
    dpi: float | None
    profile: str | None
    frames: int | None
    bytes: int | None


class Station(_Out):
    """What the capture station offers."""

    scenes: list[str]
    devices: list[str]
    resolutions: list[int]


class CaptureAsked(BaseModel):
    scene: str = Field(max_length=120)
    device: Literal["camera", "flatbed"]
    dpi: int = Field(300, ge=50, le=1200)
