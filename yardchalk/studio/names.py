"""File names, made safe."""

import re
import unicodedata
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
