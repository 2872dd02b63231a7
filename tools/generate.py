"""Write what is generated from the settings models: JSON Schemas in docs/schemas, and the API's schema for the page's types.

`./yard generate` runs this and then makes page/src/api/schema.d.ts. A test holds that what is committed is current.
"""

import json
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from yardchalk.core.settings import ListingSpec, Marks, RunSheet
from yardchalk.studio.folder_run import RunReport
from yardchalk.studio.manifest import Manifest
from yardchalk.web.app import create_app

ROOT = Path(__file__).resolve().parents[1]
_MODELS: dict[str, type[BaseModel]] = {
    "run-sheet": RunSheet,
    "listing-spec": ListingSpec,
    "marks": Marks,
    "report": RunReport,
    "manifest": Manifest,
}


def _text(schema: Any) -> str:
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"


def generated() -> dict[Path, str]:
    """Path and text of every generated file."""
    out = {ROOT / "docs" / "schemas" / f"{name}.json": _text(model.model_json_schema()) for name, model in _MODELS.items()}
    out[ROOT / "page" / "openapi.json"] = _text(create_app().openapi())
    return out


if __name__ == "__main__":
    for path, text in generated().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
