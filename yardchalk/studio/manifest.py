"""The report of a delivery or a run: JSON, and the same as CSV."""

import csv
import io
import json
from typing import Any

from pydantic import BaseModel, Field

from yardchalk.core.checks import Finding
from yardchalk.core.deliver import MendShare


class ManifestRow(BaseModel):
    """One delivered file."""

    file: str
    source: str
    source_sha256: str
    result_sha256: str
    bytes: int
    run_sheet: str
    run_sheet_version: int
    listing_spec: str
    verdict: str
    findings: list[Finding]
    mends: list[MendShare] = Field([], description="What is no longer the photo: share of the product that each mend touched, in %.")


class Manifest(BaseModel):
    """What a delivery holds."""

    format: str = "yardchalk-manifest/1"
    lot: str
    delivered_at: str
    files: list[ManifestRow]


def manifest_json(manifest: Manifest) -> bytes:
    return (json.dumps(manifest.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n").encode()


def manifest_csv(manifest: Manifest) -> bytes:
    """One line a file; findings as "check (severity): message", with the reason if allowed, and mends with shares, joined by " | "."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    columns = [name for name in ManifestRow.model_fields if name not in {"findings", "mends"}]
    writer.writerow([*columns, "findings", "mends"])
    for row in manifest.files:
        values: list[Any] = [_plain(getattr(row, name)) for name in columns]
        writer.writerow([*values, " | ".join(_in_words(f) for f in row.findings), " | ".join(_mended(m) for m in row.mends)])
    return out.getvalue().encode()


def _in_words(finding: Finding) -> str:
    allowed = "" if finding.allowed is None else f", allowed for this {finding.allowed.scope}: {finding.allowed.reason}"
    return f"{finding.check} ({finding.severity}{allowed}): {finding.message}"


def _mended(mend: MendShare) -> str:
    return f"{mend.name or mend.kind}: {mend.share:g} % of the product"


def _plain(value: Any) -> Any:
    """A spreadsheet takes a text that starts like a formula for one; a quote keeps it a text."""
    if isinstance(value, str) and value[:1] in "=+-@\t\r":
        return "'" + value
    return value
