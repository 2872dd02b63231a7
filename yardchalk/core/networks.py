"""Runs the small networks that ship with the engine, which are kept in ONNX, the open format."""

import os
from functools import cache
from pathlib import Path

import cv2

from yardchalk.core.colour import Float

# Read when it is loaded: else it gives the machine a number, keeps that in the user's folder, and reports what it runs to its makers.
os.environ["ORT_DISABLE_TELEMETRY"] = "1"
import onnxruntime

_SHIPPED = Path(__file__).parent / "shipped"


def told_by(network: str, shown: Float) -> Float:
    """What a network tells of what it is shown, float32, both (n, channels, h, w); on as many threads as OpenCV may use.

    The last bits of the arithmetic differ between processors: what is decided by it should be rounded first.
    """
    (told,) = _session(network, cv2.getNumThreads()).run(None, {"shown": shown})
    return told


@cache
def _session(network: str, threads: int) -> onnxruntime.InferenceSession:
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = threads
    # Threads that wait busily take the core from the other workers; an arena keeps the memory of the largest picture for good.
    options.add_session_config_entry("session.intra_op.allow_spinning", "0")
    options.enable_cpu_mem_arena = False
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(str(_SHIPPED / f"{network}.onnx"), options, providers=["CPUExecutionProvider"])
