"""The shelf: run sheets and listing specs, those that ship and those that were kept, by name and version."""

import json
import re
from typing import Annotated, Any, Literal, cast

from psycopg import Connection
from pydantic import BaseModel, Field

from yardchalk.core.by_example import Carried, sheet_from
from yardchalk.core.errors import BadSettings, NotThere, YardError
from yardchalk.core.render import Render
from yardchalk.core.settings import ListingSpec, Marks, RunSheet, load_sheet, load_spec, parse, shipped
from yardchalk.core.wording import differences, sheet_in_words, spec_in_words
from yardchalk.store.queries import photo_rows, shelf_rows
from yardchalk.studio.context import Studio
from yardchalk.studio.found import take_frame
from yardchalk.studio.names import slug

Kind = Literal["sheet", "spec"]
_MODELS: dict[Kind, type[RunSheet] | type[ListingSpec]] = {"sheet": RunSheet, "spec": ListingSpec}
_WHAT = {"sheet": "run sheet", "spec": "listing spec"}


class Shelved(BaseModel):
    """One version of a run sheet or listing spec.

    `ref` is what lots and photos name it by: a plain name for one that ships, "name@version" for one that was kept.
    """

    ref: str
    name: str
    title: str
    version: int
    note: str
    origin: str
    at: str | None
    words: list[str]
    changes: list[str]
    used: int
    content: Annotated[RunSheet | ListingSpec, Field(discriminator="format")]


class Shelf:
    """What a connection sees of the shelf; each version is read once."""

    def __init__(self, connection: Connection[Any]) -> None:
        self._connection = connection
        self._read: dict[tuple[Kind, str], RunSheet | ListingSpec] = {}

    def sheet(self, ref: str) -> RunSheet:
        return cast(RunSheet, self._found("sheet", ref))

    def spec(self, ref: str) -> ListingSpec:
        return cast(ListingSpec, self._found("spec", ref))

    def _found(self, kind: Kind, ref: str) -> RunSheet | ListingSpec:
        if (kind, ref) not in self._read:
            name, _, version = ref.partition("@")
            row = shelf_rows.shelved(self._connection, kind, name, int(version)) if re.fullmatch(r"[0-9]{1,6}", version) else None
            self._read[kind, ref] = settings_of(kind, ref, None if row is None else row["content"])
        return self._read[kind, ref]


def settings_of(kind: Kind, ref: str, content: Any) -> RunSheet | ListingSpec:
    """The settings that a reference names; `content` is what is kept under it, None where nothing is.

    Raises
    ------
    BadSettings
        Neither kept nor shipped.
    """
    if content is not None:
        return _MODELS[kind].model_validate(content)
    if ref in shipped("sheets" if kind == "sheet" else "specs"):
        return load_sheet(ref) if kind == "sheet" else load_spec(ref)
    raise BadSettings("is not on the shelf", where=f"The {_WHAT[kind]} {ref}", remedy="Choose another")


def not_there(kind: Kind, ref: str) -> NotThere:
    return NotThere("is not on the shelf", where=f"The {_WHAT[kind]} {ref}", remedy="Choose another")


def in_words(settings: RunSheet | ListingSpec) -> list[str]:
    """What it does, or asks for."""
    return sheet_in_words(settings) if isinstance(settings, RunSheet) else spec_in_words(settings)


def listed(studio: Studio, kind: Kind) -> list[Shelved]:
    """All versions: by name, the newest first; those that ship at the end of their name."""
    with studio.transaction() as connection:
        rows = shelf_rows.shelf(connection, kind)
        used = shelf_rows.shelf_in_use(connection, kind)
    names = [*dict.fromkeys([*shipped("sheets" if kind == "sheet" else "specs"), *(row["name"] for row in rows)])]
    out = []
    for name in names:
        versions: list[tuple[str, RunSheet | ListingSpec, dict[str, Any]]] = []
        if name in shipped("sheets" if kind == "sheet" else "specs"):
            ours = settings_of(kind, name, None)
            versions.append((name, ours, {"note": ours.note, "origin": "ships with Yard Chalk", "at": None}))
        for row in rows:
            if row["name"] == name:
                ref = f"{name}@{row['version']}"
                versions.append((ref, settings_of(kind, ref, row["content"]), row))
        for number in reversed(range(len(versions))):
            ref, settings, row = versions[number]
            before = versions[number - 1][1] if number else None
            out.append(
                Shelved(
                    ref=ref,
                    name=name,
                    title=settings.title or name,
                    version=settings.version,
                    note=row["note"],
                    origin=row["origin"],
                    at=row["at"].isoformat() if row["at"] else None,
                    words=in_words(settings),
                    changes=[] if before is None else differences(before, settings),
                    used=used.get(ref, 0),
                    content=settings,
                )
            )
    return out


def keep(studio: Studio, settings: RunSheet | ListingSpec, *, origin: str, note: str | None = None) -> str:
    """Keep settings as the next version of their name; returns the reference.

    Settings that are those of the newest version already are not kept twice.
    """
    kind: Kind = "sheet" if isinstance(settings, RunSheet) else "spec"
    with studio.transaction() as connection:
        newest = shelf_rows.newest_shelved(connection, kind, settings.name)
        version = 1
        ours = settings.name in shipped("sheets" if kind == "sheet" else "specs")
        before = settings_of(kind, settings.name, None) if ours else None
        ref = settings.name
        if newest is not None:
            ref = f"{settings.name}@{newest['version']}"
            before = settings_of(kind, ref, newest["content"])
        if before is not None:
            version = before.version + 1
            if before == settings.model_copy(update={"version": before.version}):
                return ref
        kept = settings.model_copy(update={"version": version})
        shelf_rows.shelve(
            connection,
            kind,
            settings.name,
            version,
            as_json(kept),
            settings.note if note is None else note,
            origin,
        )
    return f"{settings.name}@{version}"


def taken_in(studio: Studio, kind: Kind, text: str, where: str, title: str | None = None) -> str:
    """Keep what a JSON file holds; returns the reference. BadSettings names the value that is wrong.

    Under another title it gets another name, so that it is no version of what it was made from.
    """
    settings = parse(RunSheet, text, where) if kind == "sheet" else parse(ListingSpec, text, where)
    if title is not None and title.strip() != settings.title:
        settings = settings.model_copy(update={"title": title.strip(), "name": name_for(title)})
    return keep(studio, settings, origin=f"from {where}")


def forget(studio: Studio, kind: Kind, ref: str) -> None:
    """Take a version off the shelf, if nothing names it."""
    name, _, version = ref.partition("@")
    if not version.isdigit():
        raise YardError("ships with Yard Chalk and stays", where=f"The {_WHAT[kind]} {ref}")
    with studio.transaction() as connection:
        if shelf_rows.shelf_in_use(connection, kind).get(ref):
            raise YardError("is in force", where=f"The {_WHAT[kind]} {ref}", remedy="Put another in force first")
        if not shelf_rows.unshelve(connection, kind, name, int(version)):
            raise not_there(kind, ref)


def difference(studio: Studio, kind: Kind, before: str, after: str) -> list[str]:
    """How two versions differ, in words."""
    with studio.transaction() as connection:
        shelf = Shelf(connection)
        if kind == "sheet":
            return differences(shelf.sheet(before), shelf.sheet(after))
        return differences(shelf.spec(before), shelf.spec(after))


def name_for(title: str) -> str:
    """A name for files and references, from a title."""
    name = slug(title, 40)
    if not name:
        raise BadSettings("has no letter or figure in it", where=f"“{title}”", remedy="Choose another title")
    return name


def by_example(studio: Studio, photo_id: int, title: str, note: str) -> tuple[RunSheet, list[Carried]]:
    """The run sheet that a worked photo is an example of, and what became of each of its settings. Nothing is kept yet."""
    with studio.transaction() as connection:
        row = photo_rows.photo(connection, photo_id)
        if row is None:
            raise NotThere("is not there", where=f"Photo {photo_id}", remedy="Go back to the lots")
        sheet = Shelf(connection).sheet(row["sheet"])
    empty = studio.files.get(row["empty"]) if row["empty"] else None
    render = Render(
        studio.files.get(row["digest"]), row["name"], sheet, Marks.model_validate(row["marks"]), digest=row["digest"], empty=empty
    )
    take_frame(studio.files, render)
    example = sheet_from(render, name_for(title), title.strip(), note)
    return example.sheet, example.carried


def as_json(settings: RunSheet | ListingSpec) -> dict[str, Any]:
    """Settings for a file: what is not as it would be anyway."""
    return {"format": settings.format} | settings.model_dump(mode="json", exclude_defaults=True)


def as_file(settings: RunSheet | ListingSpec) -> str:
    """Settings as a JSON file."""
    return json.dumps(as_json(settings), indent=2, ensure_ascii=False) + "\n"
