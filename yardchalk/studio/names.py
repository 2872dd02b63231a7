"""File names, made safe."""

import hashlib
import re
import unicodedata
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

_NUMBER = re.compile(r"[A-Za-z]{1,6}[-_ ]?\d{2,}|\d{3,}")
_BY_CAMERA = re.compile(r"[A-Z0-9_]{4}\d{4}")  # as the Design rule for Camera File system (JEITA CP-3461) has it


def readable(path: str) -> str:
    """A path as a person reads it: parts that are no UTF-8, as old disks have them, as the Western letters of Windows-1252.

    As the system gives it such a path is no text at all: neither a report nor the database can hold it.
    """
    return "/".join(part if part.isascii() else _readable(part) for part in path.split("/"))


def _readable(part: str) -> str:
    try:
        part.encode()
    except UnicodeEncodeError:
        return part.encode(errors="surrogateescape").decode("cp1252", errors="replace")
    return part


def safe_name(name: str) -> str:
    """The last part of a name from outside, without anything that a file system or a page could take amiss."""
    last = PurePosixPath(readable(name).replace("\\", "/")).name
    plain = unicodedata.normalize("NFC", last)
    plain = "".join(c if c.isprintable() and c not in '<>:"|?*/\\' else "_" for c in plain).strip(". ")
    return plain[:120] or "photo"


def safe_path(name: str) -> str:
    """A path from outside as "FOLDER/NAME", both made safe: the folder that the file lay in and its own name, or that alone."""
    *_, folder, last = ("", "", *PurePosixPath(name.replace("\\", "/")).parts)
    return safe_name(last) if folder in ("", "/", ".", "..") else f"{safe_name(folder)}/{safe_name(last)}"


def stem_of(name: str) -> str:
    """The name without its folder and ending, made safe."""
    return re.sub(r"\.[A-Za-z0-9]{1,5}$", "", safe_name(name)) or "photo"


def slug(words: str, longest: int) -> str:
    """What a person calls something, in small letters without accents, figures and dashes; nothing if it has neither letter nor figure.

    Where letters of another script are left out, a hash of the words keeps it apart from what else would come to the same.
    """
    folded = unicodedata.normalize("NFKD", words.casefold())
    plain = "".join(c for c in folded if not unicodedata.combining(c))
    out = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:longest].strip("-")
    if any(c.isalnum() and not c.isascii() for c in plain) or (not out and any(c.isalnum() for c in words)):
        out = f"{out[: longest - 7]}-{hashlib.sha256(words.encode()).hexdigest()[:6]}".lstrip("-")
    return out


def hidden(name: str) -> bool:
    """Whether a path is one of the files that systems drop into folders and ZIPs by themselves."""
    parts = PurePosixPath(name.replace("\\", "/")).parts
    return any((part.startswith(".") and part not in (".", "..")) or part == "__MACOSX" for part in parts) or (parts[-1:] == ("Thumbs.db",))


@dataclass(frozen=True)
class Named:
    """A file name, and what had to be done to it.

    Attributes
    ----------
    name : with its ending.
    why : what was changed, for a person; nothing if the pattern gave it as it is.
    """

    name: str
    why: str = ""


def sku_of(name: str) -> str:
    """The article number at the start of a photo's name, "PW-1004" of "PW-1004_enamel-jug.jpg", or else of its folder's; the whole stem if
    neither has one. A number that a camera gave is the photo's, not the article's.
    """
    stem, folder = stem_of(name), folder_of(name)
    own, folders = _NUMBER.match(stem), _NUMBER.match(folder)
    if folders and (own is None or _BY_CAMERA.fullmatch(stem)):
        return folders.group()
    return own.group() if own else stem


def folder_of(name: str) -> str:
    """The folder that a photo came in, of its name; nothing if it came in none."""
    return name.rpartition("/")[0]


def plan_names(pattern: str, photos: Sequence[tuple[str, str]], *, lot: str, spec: str) -> list[Named]:
    """File names for photos, each given by its name and the ending of its result, all different from each other.

    Unsafe characters become "_". Where the pattern gives the same name to photos of several folders, it gets these before it, and what is
    still the same is numbered, but for the first. Names that differ in case alone count as the same, since some file systems take them
    for it.
    """
    made = [_filled(pattern, photo, number, lot, spec) for number, (photo, _) in enumerate(photos, 1)]
    stems = [stem_safe(stem) for stem in made]
    folders = defaultdict(set)
    for safe, (photo, suffix) in zip(stems, photos, strict=True):
        folders[(safe + suffix).lower()].add(folder_of(photo))
    used: set[str] = set()
    out = []
    for filled, safe, (photo, suffix) in zip(made, stems, photos, strict=True):
        why = [] if safe == filled else ["unsafe characters were replaced"]
        if len(folders[(safe + suffix).lower()]) > 1 and folder_of(photo):
            why.append(f"with its folder, since another photo would be {safe}{suffix} too")
            safe = stem_safe(f"{folder_of(photo)}_{safe}")
        name, again = safe + suffix, 1
        while name.lower() in used:
            again += 1
            name = f"{safe}-{again}{suffix}"
        if again > 1:
            why.append(f"numbered, since {safe}{suffix} is another photo's")
        used.add(name.lower())
        out.append(Named(name, "; ".join(why)))
    return out


def stem_safe(stem: str) -> str:
    """A stem without anything that a file system, a page or a spreadsheet could take amiss."""
    plain = unicodedata.normalize("NFC", stem)
    plain = "".join(c if c.isprintable() and c not in '<>:"|?*/\\%#&' else "_" for c in plain).strip(". ")
    if re.fullmatch(r"(?i)con|prn|aux|nul|com\d|lpt\d", plain):
        plain += "_"
    return plain[:120] or "photo"


def _filled(pattern: str, photo: str, number: int, lot: str, spec: str) -> str:
    values = {"name": stem_of(photo), "sku": sku_of(photo), "folder": folder_of(photo) or lot, "lot": lot, "spec": spec}

    def value(field: re.Match[str]) -> str:
        name, _, width = field.group(1).partition(":")
        return f"{number:{width}d}" if name == "n" else values[name]

    return re.sub(r"\{(name|sku|folder|lot|spec|n(?::0\d)?)\}", value, pattern)
