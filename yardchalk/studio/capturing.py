"""The capture station: frames and scans fetched from it, straight into a lot."""

import io
import json
import urllib.error
import urllib.parse
import urllib.request
from typing import Any

from yardchalk.core.errors import YardError
from yardchalk.studio.context import Studio
from yardchalk.studio.intake import IntakeReport, take_in

_PATIENCE_S = 60


def station(studio: Studio) -> dict[str, Any] | None:
    """What the station offers: its scenes, devices and resolutions; None if none answers."""
    if not studio.capture_url:
        return None
    try:
        with urllib.request.urlopen(f"{studio.capture_url}/scenes", timeout=5) as answer:
            offered: dict[str, Any] = json.load(answer)
    except (OSError, ValueError):
        return None
    return offered


def capture(studio: Studio, lot_id: int, scene: str, device: str, dpi: int) -> IntakeReport:
    """Take a new frame or scan of a scene into a lot."""
    if not studio.capture_url:
        raise YardError("does not run", where="The capture station", remedy="Start the application with ./yard demo")
    query = urllib.parse.urlencode({"scene": scene, "device": device, "dpi": dpi})
    request = urllib.request.Request(f"{studio.capture_url}/capture?{query}", method="POST")
    try:
        with urllib.request.urlopen(request, timeout=_PATIENCE_S) as answer:
            data, name = answer.read(), answer.headers.get("X-Name") or "capture.jpg"
    except urllib.error.HTTPError as error:
        said = json.loads(error.read() or b"{}").get("message", f"answered {error.code}")
        raise YardError(f"took no picture: {said}", where="The capture station", remedy="Choose another scene or resolution") from None
    except OSError:
        raise YardError("does not answer", where="The capture station", remedy="Start the application again, then capture again") from None
    return take_in(studio, lot_id, name, io.BytesIO(data), source="capture station")
