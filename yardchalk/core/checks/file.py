"""The written file, decoded again: format, bytes, profile, transparency."""

from yardchalk.core.checks.finding import Checked, Finding

# What a file of each kind reads back as; of a layered one, what is shown together.
_FORMATS = {
    "jpeg": "JPEG",
    "png": "PNG",
    "webp": "WebP",
    "tiff": "TIFF",
    "gif": "GIF",
    "openraster": "PNG",
    "matte": "PNG",
}


def check(c: Checked) -> list[Finding]:
    """What of the file is not as the listing spec asks."""
    spec, facts = c.spec, c.result_facts
    wanted = _FORMATS[spec.file]
    found = []
    if facts.format != wanted:
        found.append(_finding(f"The file is {facts.format}, not {wanted}", 1, 0, "files"))
    if "srgb" not in facts.profile.lower():
        found.append(_finding(f"The file is tagged {facts.profile}, not sRGB", 1, 0, "files"))
    if spec.bits is not None and facts.bits != spec.bits:
        found.append(_finding(f"The file has {facts.bits} bits a channel, not {spec.bits}", facts.bits, spec.bits, "bits"))
    if spec.file != "matte":
        if spec.background == "transparent" and not facts.has_alpha:
            found.append(_finding("The file has no transparency", 1, 0, "files"))
        if spec.background != "transparent" and facts.has_alpha:
            found.append(_finding("The file has transparency", 1, 0, "files"))
    if spec.max_bytes is not None and len(c.data) > spec.max_bytes:
        found.append(_finding(f"The file has {len(c.data):,} bytes, more than {spec.max_bytes:,}", len(c.data), spec.max_bytes, "bytes"))
    return found


def _finding(message: str, figure: float, limit: float, unit: str) -> Finding:
    return Finding(check="file", severity="fix", message=message, figure=figure, limit=limit, unit=unit, stage="deliver")
