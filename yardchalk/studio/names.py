"""File names, made safe."""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

PHOTO_SUFFIXES = frozenset({".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".gif", ".avif", ".heic", ".heif"})


def safe_name(name: str) -> str:
    """The last part of a name from outside, without anything that a file system or a page could take amiss."""
    last = PurePosixPath(name.replace("\\", "/")).name
    plain = unicodedata.normalize("NFC", last)
    plain = "".join(c if c.isprintable() and c not in '<>:"|?*/\\' else "_" for c in plain).strip(". ")
    return plain[:120] or "photo"


def stem_of(name: str) -> str:
    """The name without its ending, made safe."""
    return re.sub(r"\.[A-Za-z0-9]{1,5}$", "", safe_name(name)) or "photo"


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
    """The article number at the start of a photo's name: "PW-1004" of "PW-1004_enamel-jug.jpg"; the whole stem if it has none."""
    stem = stem_of(name)
    found = re.match(r"[A-Za-z]{1,6}[-_ ]?\d{2,}|\d{3,}", stem)
    return found.group() if found else stem


def plan_names(pattern: str, photos: Sequence[tuple[str, str]], *, lot: str, spec: str) -> list[Named]:
    """File names for photos, each given by its name and the ending of its result, all different from each other.

    Unsafe characters become "_". Where the pattern gives the same name to two photos, the second and later ones are numbered. Names that
    differ in case alone count as the same, since some file systems take them for it.
    """
    used: set[str] = set()
    out = []
    for number, (photo, suffix) in enumerate(photos, 1):
        made = _filled(pattern, photo, number, lot, spec)
        safe = stem_safe(made)
        why = [] if safe == made else ["unsafe characters were replaced"]
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
    values = {"name": stem_of(photo), "sku": sku_of(photo), "lot": lot, "spec": spec}

    def value(field: re.Match[str]) -> str:
        name, _, width = field.group(1).partition(":")
        return f"{number:{width}d}" if name == "n" else values[name]

    return re.sub(r"\{(name|sku|lot|spec|n(?::0\d)?)\}", value, pattern)
