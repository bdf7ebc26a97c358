"""Two pictures of one thing held against each other: how the one must be moved, turned and made larger to
lie on the other, and what its colours went through."""

from __future__ import annotations

from dataclasses import dataclass
from math import atan2, degrees, hypot

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
_LUMA = np.asarray([0.2126, 0.7152, 0.0722], np.float32)
"""BT.709."""
_STEPS = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-5)
_STARTS = (1.0, 1.15, 0.87, 1.35, 0.74, 1.7, 0.59, 2.2, 0.45)
"""Sizes from which a picture is fitted, one after the other, until it fits."""
_SEARCHED = 120
"""Lines at which it is looked for; then it is measured finer."""
_FITS = 0.93
"""A picture that correlates so well lies where it belongs."""
_FEATURES = 400
_REACH = 24
"""So many pixels around an edge are changed by it, where light and dark are taken away."""
_ENOUGH = 0.02
"""So much of the frame must be left to measure by."""


def inner(mask: NDArray[np.bool_], edge: int) -> NDArray[np.bool_]:
    """A mask without what lies within so many pixels of what it leaves out."""
    if mask.all():
        return mask
    around = np.pad(mask.astype(np.uint8), edge, mode="edge")
    made = cv2.erode(around, np.ones((2 * edge + 1, 2 * edge + 1), np.uint8))
    return np.asarray(made[edge:-edge, edge:-edge] > 0, np.bool_)


@dataclass(frozen=True, slots=True)
class Lie:
    """How a picture lies against what it should be: ``matrix`` (2, 3) takes places of the one, in pixels that
    count from the corner, to places in the other; ``fit`` says how well it correlates then."""

    matrix: NDArray[np.float64]
    fit: float

    @property
    def scale(self) -> tuple[float, float]:
        """How much larger, across and down."""
        (a, b), (c, d) = self.matrix[:, :2]
        return hypot(a, c), float(abs(a * d - b * c) / max(1e-9, hypot(a, c)))

    @property
    def turned(self) -> float:
        """Degrees clockwise."""
        return degrees(atan2(self.matrix[1, 0], self.matrix[0, 0]))

    def moved(self, place: tuple[float, float]) -> tuple[float, float]:
        """By how many pixels a place lies elsewhere."""
        x, y = self.matrix @ np.array([*place, 1.0])
        return float(x - place[0]), float(y - place[1])


def lie(ours: Floats, theirs: Floats, mask: NDArray[np.bool_] | None = None, far: bool = True) -> Lie | None:
    """How ``theirs`` lies against ``ours``, both (height, width, 3); ``mask`` says which pixels of theirs
    count. Without ``far`` it is looked for about its place only. None where neither fits."""
    if mask is not None and not mask.all():
        # What lies outside must not reach into what counts, in neither of them.
        ours, theirs = (np.where(mask[..., None], one, np.float32(0)) for one in (ours, theirs))
    step = max(1.0, ours.shape[0] / _SEARCHED)
    starts = [np.eye(2, 3, dtype=np.float32)]
    if far:
        found = _by_features(ours, theirs)
        starts += [found] if found is not None else []
        starts += [_about_middle(scale, ours.shape) for scale in _STARTS[1:]]
    coarse = [_smaller(one, step) for one in (ours, theirs)]
    one, other = (_edges(each) for each in coarse)
    usable = None if mask is None else _smaller(mask.astype(np.float32), step) > 0.99
    best: Lie | None = None
    for start in starts:
        made = _fitted(one, other, _shrunk(start, step), usable)
        if made is not None and (best is None or made.fit > best.fit):
            best = made
        if best is not None and best.fit > _FITS:
            break
    if best is None or step == 1:
        return best
    first = best.matrix.copy()
    first[:, 2] *= step
    fine = _fitted(_edges(ours), _edges(theirs), _to_cv(first), mask)
    return fine if fine is not None else Lie(first, best.fit)


def near(ours: Floats, theirs: Floats, usable: NDArray[np.bool_]) -> Lie | None:
    """How ``theirs`` lies against ``ours`` where it nearly lies on it, by nothing but what is ``usable``;
    what is around is seen in neither. None where it does not fit."""
    usable = inner(usable, _REACH)
    if usable.mean() < _ENOUGH:
        return None
    return _fitted(_edges(ours), _edges(theirs), np.eye(2, 3, dtype=np.float32), usable)


def _smaller(picture: Floats, step: float) -> Floats:
    tall, wide = picture.shape[:2]
    if step == 1:
        return picture
    size = round(wide / step), round(tall / step)
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)


def _shrunk(start: Floats, step: float) -> Floats:
    """A guess in pixels of a picture made smaller."""
    made = start.copy()
    made[:, 2] /= step
    return made


def _to_cv(matrix: NDArray[np.float64]) -> Floats:
    """A matrix between corners as one between the middles of pixels."""
    made = matrix.copy()
    made[:, 2] -= 0.5 - made[:, :2] @ [0.5, 0.5]
    return np.asarray(made, np.float32)


def _edges(picture: Floats) -> Floats:
    """A grey picture without its coarse light and dark, which a grade changes."""
    grey = np.asarray(picture @ _LUMA if picture.ndim == 3 else picture, np.float32)
    return np.asarray(
        cv2.GaussianBlur(grey, (0, 0), 1.0) - 0.5 * cv2.GaussianBlur(grey, (0, 0), 12.0), np.float32
    )


def _about_middle(scale: float, shape: tuple[int, ...]) -> Floats:
    tall, wide = shape[:2]
    return np.array([[scale, 0, wide / 2 * (1 - scale)], [0, scale, tall / 2 * (1 - scale)]], np.float32)


def _fitted(one: Floats, other: Floats, start: Floats, mask: NDArray[np.bool_] | None) -> Lie | None:
    if float(one.std()) < 2e-3 or float(other.std()) < 2e-3:
        return None
    try:
        usable = np.full(one.shape[:2], 255, np.uint8) if mask is None else mask.astype(np.uint8) * 255
        fit, matrix = cv2.findTransformECC(one, other, start.copy(), cv2.MOTION_AFFINE, _STEPS, usable, 3)
    except cv2.error:
        # It went astray.
        return None
    made = np.asarray(matrix, np.float64)
    # OpenCV counts from the middle of the first pixel.
    made[:, 2] += 0.5 - made[:, :2] @ [0.5, 0.5]
    found = Lie(made, float(fit))
    across, down = found.scale
    if not (0.2 < across < 5 and 0.2 < down < 5):
        return None
    return found


def _by_features(ours: Floats, theirs: Floats) -> Floats | None:
    """A first guess by points that are found in both."""
    finder = cv2.SIFT.create(_FEATURES)
    pictures = [np.asarray(np.clip(one * 255, 0, 255), np.uint8) for one in (ours, theirs)]
    greys = [cv2.cvtColor(one, cv2.COLOR_RGB2GRAY) for one in pictures]
    (points, told), (others, heard) = (finder.detectAndCompute(one, None) for one in greys)
    if told is None or heard is None or len(points) < 4 or len(others) < 4:
        return None
    pairs = [
        pair[0]
        for pair in cv2.BFMatcher().knnMatch(told, heard, k=2)
        if len(pair) == 2 and pair[0].distance < 0.8 * pair[1].distance
    ]
    if len(pairs) < 4:
        return None
    here = np.array([points[one.queryIdx].pt for one in pairs], np.float32)
    there = np.array([others[one.trainIdx].pt for one in pairs], np.float32)
    matrix, _ = cv2.estimateAffinePartial2D(here, there, method=cv2.RANSAC, ransacReprojThreshold=2.0)
    return None if matrix is None else np.asarray(matrix, np.float32)


# ---- colours


@dataclass(frozen=True, slots=True)
class Colour:
    """What colours went through: ``matrix`` (3, 3) and ``offset`` (3) of what they are against what they
    should be, for values from 0 to 1; ``rest`` is what is left then, on the whole."""

    matrix: NDArray[np.float64]
    offset: NDArray[np.float64]
    rest: float

    @classmethod
    def none(cls) -> Colour:
        return cls(np.eye(3), np.zeros(3), 0.0)

    def __call__(self, picture: Floats) -> Floats:
        full = np.concatenate([self.matrix, self.offset[:, None]], axis=1).astype(np.float32)
        pixels = np.ascontiguousarray(picture, np.float32).reshape(-1, 1, 3)
        made = cv2.transform(pixels, full).reshape(picture.shape)
        return np.asarray(np.clip(made, 0, 1), np.float32)

    @property
    def saturation(self) -> float:
        """How much of the colour is left: by how much what is not grey was stretched, against grey."""
        return float(
            np.sqrt(np.abs(np.linalg.det(_CHROMA @ self.matrix @ _BACK))) / max(1e-6, self.mean_gain)
        )

    @property
    def gains(self) -> tuple[float, float, float]:
        """What a grey of one becomes, without the offset."""
        red, green, blue = self.matrix.sum(axis=1)
        return float(red), float(green), float(blue)

    @property
    def mean_gain(self) -> float:
        return float(np.dot(_LUMA, self.gains))

    def far(self, other: Colour) -> float:
        """By how much two differ at the most in what they make of black, white and the pure colours."""
        probes = np.array([[x, y, z] for x in (0.1, 0.8) for y in (0.1, 0.8) for z in (0.1, 0.8)])
        one = probes @ self.matrix.T + self.offset
        two = probes @ other.matrix.T + other.offset
        return float(np.abs(one - two).max())


_CHROMA = np.array([[-0.168736, -0.331264, 0.5], [0.5, -0.418688, -0.081312]])
_BACK = np.linalg.pinv(_CHROMA)


def colour(ours: Floats, theirs: Floats) -> Colour | None:
    """What colours of pixels, shape (n, 3), went through; what is not of one picture is left out. None
    where they are too few or all one grey."""
    inside = (theirs > 0.02).all(axis=1) & (theirs < 0.98).all(axis=1)
    if inside.sum() < 60:
        inside = np.ones(len(ours), bool)
    known, wanted = ours[inside].astype(np.float64), theirs[inside].astype(np.float64)
    if len(known) < 30 or known.std(axis=0).max() < 0.02:
        return None
    kept = np.ones(len(known), bool)
    matrix, offset = np.eye(3), np.zeros(3)
    for _ in range(5):
        matrix, offset = _solved(known[kept], wanted[kept])
        rest = np.abs(known @ matrix.T + offset - wanted).max(axis=1)
        limit = max(0.015, 2.5 * float(np.median(rest[kept])))
        now = rest < limit
        if now.sum() < 0.3 * len(known) or (now == kept).all():
            break
        kept = now
    rest = np.abs(known @ matrix.T + offset - wanted).mean(axis=1)
    return Colour(matrix, offset, float(np.mean(rest)))


_RIDGE = 2e-4
"""Colours that do not occur change nothing: so much pulls towards the simplest."""


def _solved(
    known: NDArray[np.float64], wanted: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Matrix and offset, first for each colour by itself, then what is left mixed: what a picture does not
    tell stays as it is."""
    gain, offset = np.empty(3), np.empty(3)
    for part in range(3):
        spread = float(known[:, part].var())
        shared = float(
            ((known[:, part] - known[:, part].mean()) * (wanted[:, part] - wanted[:, part].mean())).mean()
        )
        gain[part] = (shared + _RIDGE) / (spread + _RIDGE)
        offset[part] = wanted[:, part].mean() - gain[part] * known[:, part].mean()
    rest = wanted - known * gain - offset
    full = np.concatenate([known - known.mean(axis=0), np.ones((len(known), 1))], axis=1)
    power = full.T @ full / len(full) + np.diag([_RIDGE] * 3 + [0.0])
    mixed = np.linalg.solve(power, full.T @ rest / len(full))
    return np.diag(gain) + mixed[:3].T, offset + mixed[3] - mixed[:3].T @ known.mean(axis=0)
