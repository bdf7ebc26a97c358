"""A picture put in its place: cropped, scaled, rotated, pulled by its corners, drawn onto a canvas.

Coordinates count from the top left corner of the first pixel, so the middle of a pixel lies at a half.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.picture.blend import opaque
from wexodos.picture.decode import Picture

Floats = NDArray[np.float64]


def corners_of(
    center: Floats, size: Floats, rotation: float, corners: Floats, pixel_aspect: float = 1.0
) -> NDArray[np.float64]:
    """Where the four corners of a source land, shape (4, 2): top left, top right, bottom right, bottom left.

    ``rotation`` in degrees clockwise, in square pixels; ``corners`` as in the model, eight fractions of the
    source.
    """
    unit = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]]) + np.reshape(corners, (4, 2))
    square = np.array([pixel_aspect, 1.0])
    arm = unit * size * square
    angle = np.radians(rotation)
    cos, sin = np.cos(angle), np.sin(angle)
    turned = np.stack((arm[:, 0] * cos - arm[:, 1] * sin, arm[:, 0] * sin + arm[:, 1] * cos), axis=-1)
    return np.asarray(center + turned / square, dtype=np.float64)


def cropped(picture: Picture, crop: Floats) -> Picture:
    """A picture with what is cropped away made transparent; an edge within a pixel takes its share of it."""
    if not np.any(crop):
        return picture
    height, width = picture.shape[:2]

    def line(low: float, high: float, count: int) -> NDArray[np.float32]:
        at = np.arange(count)
        share = np.minimum(at + 1, count * (1 - high)) - np.maximum(at, count * low)
        return np.asarray(np.clip(share, 0.0, 1.0), np.float32)

    mask = line(crop[1], crop[3], height)[:, None] * line(crop[0], crop[2], width)[None, :]
    return np.asarray(picture * mask[..., None], np.float32)


def drawn(picture: Picture, corners: NDArray[np.float64], width: int, height: int) -> Picture:
    """Draw a picture with its corners at the given places (4, 2) onto an empty canvas of ``width`` ×
    ``height``.

    Pictures made smaller are averaged over what falls into a pixel first (area), then placed with bilinear
    weights.
    """
    tall, wide = picture.shape[:2]
    whole = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
    if (wide, tall) == (width, height) and np.abs(corners - whole).max() < 1e-6:
        return picture
    across = max(np.hypot(*(corners[1] - corners[0])), np.hypot(*(corners[2] - corners[3])))
    down = max(np.hypot(*(corners[3] - corners[0])), np.hypot(*(corners[2] - corners[1])))
    if not np.isfinite(corners).all() or across < 1e-3 or down < 1e-3:
        return np.zeros((height, width, 4), np.float32)
    near = (max(1, min(wide, round(across))), max(1, min(tall, round(down))))
    if near != (wide, tall):
        picture = np.asarray(cv2.resize(picture, near, interpolation=cv2.INTER_AREA), np.float32)
        wide, tall = near
    source = np.array([[0, 0], [wide, 0], [wide, tall], [0, tall]], np.float32)
    # OpenCV counts from the middle of the first pixel.
    matrix = cv2.getPerspectiveTransform(
        source - np.float32(0.5), corners.astype(np.float32) - np.float32(0.5)
    )
    made = cv2.warpPerspective(
        picture, matrix, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    share = covered(corners, width, height)
    return np.asarray(made if share.min() >= 1 else made * share[..., None], np.float32)


def covered(corners: NDArray[np.float64], width: int, height: int) -> NDArray[np.float32]:
    """How much of each pixel a quadrilateral covers, shape (height, width): exact where it is upright, to a
    255th otherwise."""
    xs, ys = corners[:, 0], corners[:, 1]
    near = 1e-6 * max(width, height)
    upright = (
        abs(xs[0] - xs[3]) < near
        and abs(xs[1] - xs[2]) < near
        and abs(ys[0] - ys[1]) < near
        and abs(ys[2] - ys[3]) < near
    ) or (
        abs(ys[0] - ys[3]) < near
        and abs(ys[1] - ys[2]) < near
        and abs(xs[0] - xs[1]) < near
        and abs(xs[2] - xs[3]) < near
    )
    if upright:

        def line(low: float, high: float, count: int) -> NDArray[np.float32]:
            at = np.arange(count)
            return np.asarray(np.clip(np.minimum(at + 1, high) - np.maximum(at, low), 0.0, 1.0), np.float32)

        return np.asarray(
            line(ys.min(), ys.max(), height)[:, None] * line(xs.min(), xs.max(), width)[None, :], np.float32
        )
    mask = np.zeros((height, width), np.uint8)
    far = 1 << 26
    points = np.clip(np.round((corners - 0.5) * 256), -far, far).astype(np.int32)
    cv2.fillPoly(mask, [points], 255, cv2.LINE_AA, 8)
    return np.asarray(mask, np.float32) / np.float32(255)


def multiplied(picture: Picture, alpha: str | None) -> Picture:
    """A source picture with its colours multiplied by its alpha. ``alpha`` says how they stand: ``straight``
    (also where nothing is said), ``black`` or ``white`` for colours mixed with that already, ``none`` for an
    alpha channel that means nothing."""
    if alpha == "none":
        made = picture.copy()
        made[..., 3] = 1.0
        return made
    if alpha == "black" or opaque(picture):
        return picture
    share = picture[..., 3:]
    made = picture.copy()
    if alpha == "white":
        made[..., :3] = np.clip(picture[..., :3] - (1.0 - share), 0.0, 1.0)
    else:
        made[..., :3] *= share
    return made


def upright_in(picture: Picture, wide: int, tall: int) -> Picture:
    """A picture that was turned upright, whole in the shape ``wide`` × ``tall`` that the cut states for its
    medium: where that is the shape before it was turned it stands there with room beside it, as it is fitted
    by everybody who turns it."""
    height, width = picture.shape[:2]
    if wide == tall or (width > height) == (wide > tall) or abs(width * wide / (height * tall) - 1) > 0.02:
        return picture
    if width > height:
        canvas = np.zeros((round(width * tall / wide), width, 4), np.float32)
    else:
        canvas = np.zeros((height, round(height * wide / tall), 4), np.float32)
    top, left = (canvas.shape[0] - height) // 2, (canvas.shape[1] - width) // 2
    canvas[top : top + height, left : left + width] = picture
    return canvas
