"""From whole numbers of a depth to shares of 1 and to the bytes of a screen."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

DEEP = np.float32(65535)
"""The largest number of 16 bits, which is one."""
SHARES = (np.arange(256) / 255).astype(np.float32)
"""Of every byte."""


def to_bytes(values: NDArray[Any]) -> NDArray[np.uint8]:
    """Shares as bytes, halves up as everywhere."""
    # It rounds halves to even numbers: a grain more, and they go up.
    return np.asarray(cv2.addWeighted(values, 255.0, values, 0.0, 1e-3, dtype=cv2.CV_8U), np.uint8)


def deep_to_bytes(numbers: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """Numbers of 16 bits as the bytes that their shares are; told by a test of every number."""
    return np.asarray(cv2.convertScaleAbs(numbers, alpha=255 / 65535, beta=1e-3), np.uint8)
