"""A listing spec tried on a photo: the checked result it would give, and what formats would lose of it."""

import base64
from typing import Any

import numpy as np

from yardchalk.core.codecs import encode_picture, encode_preview
from yardchalk.core.deliver import produce
from yardchalk.core.losses import losses
from yardchalk.core.render import Render
from yardchalk.studio.asking import PlacedAsked


def answer_of_placing(render: Render, asked: PlacedAsked) -> dict[str, Any]:
    """Pictures are data addresses."""
    if asked.losses:
        return {"formats": [_told(loss) for loss in losses(render, asked.spec)]}
    result = produce(render, asked.spec)
    return {
        "width": result.width,
        "height": result.height,
        "picture": f"data:image/webp;base64,{base64.b64encode(encode_preview(result.preview)).decode()}",
        "bytes": len(result.data),
        "quality": result.figures.get("quality of the file"),
        "verdict": result.verdict,
        "findings": [finding.model_dump(mode="json") for finding in result.findings],
    }


def _told(loss: Any) -> dict[str, Any]:
    return {
        "file": loss.file,
        "bytes": loss.bytes,
        "quality": loss.quality,
        "mean": round(loss.mean, 3),
        "worst": round(loss.worst, 2),
        "edge": None if loss.edge is None else round(loss.edge, 1),
        "words": loss.words,
        "place": loss.place,
        "before": _png(loss.before),
        "after": _png(loss.after),
    }


def _png(pixels: np.ndarray) -> str:
    return f"data:image/png;base64,{base64.b64encode(encode_picture(np.ascontiguousarray(pixels), 'png')).decode()}"
