"""Movies of scenes that are drawn here, with the changes between them as they were made."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from tests.screening.made import Picture, surface

WIDE, TALL = 192, 108
_KINDS = ("still", "pan", "zoom", "block", "shake")


@dataclass
class Day:
    """Pictures, and what changes in them: the first frame of a new scene or the middle of what goes over slowly, how,
    in how many frames; ``flashes`` are no changes."""

    pictures: list[Picture] = field(default_factory=list)
    changes: list[tuple[int, str, int]] = field(default_factory=list)
    flashes: list[int] = field(default_factory=list)


def scene(dice: np.random.Generator, count: int) -> list[Picture]:
    """A scene before a camera that stands still, pans, zooms, shakes, or before which something moves."""
    ground = surface(int(dice.integers(1 << 30)), 2 * WIDE, 2 * TALL)
    kind = dice.choice(_KINDS)
    across, down = dice.uniform(-3.5, 3.5), dice.uniform(-1.2, 1.2)
    color, begin = dice.random(3).astype(np.float32), dice.uniform(0.2, 0.5) * WIDE
    made = []
    for at in range(count):
        x, y, size = WIDE / 2, TALL / 2, 1.0
        if kind == "pan":
            x, y = (
                np.clip(x + across * (at - count / 2), 0, WIDE),
                np.clip(y + down * (at - count / 2), 0, TALL),
            )
        if kind == "zoom":
            size = 1 + at * (0.004 if across > 0 else -0.002)
        if kind == "shake":
            x, y = x + dice.normal(0, 2), y + dice.normal(0, 2)
        matrix = np.float32([[size, 0, -x * size], [0, size, -y * size]])
        picture = cv2.warpAffine(ground, matrix, (WIDE, TALL), borderMode=cv2.BORDER_REFLECT)
        if kind in ("block", "shake"):
            middle = round(begin + (at * across) % (WIDE / 2))
            left, right = (middle - WIDE // 12, TALL // 3), (middle + WIDE // 12, 2 * TALL // 3)
            if kind == "shake" or abs(across) * count < WIDE / 2:
                cv2.rectangle(picture, left, right, color.tolist(), -1)
        made.append(np.asarray(picture, np.float32))
    return made


def scenes(seed: int, count: int = 14) -> Day:
    """Scenes one after the other: cuts, dissolves of 8 to 30 frames, through black; a flash now and then."""
    dice = np.random.default_rng(seed)
    day = Day()
    for number in range(count):
        length = int(dice.integers(36, 80))
        following = scene(dice, length)
        kind = dice.choice(["cut", "cut", "cut", "dissolve", "black"]) if number else ""
        begun = len(day.pictures)
        if kind == "dissolve":
            long = int(dice.choice([8, 12, 16, 24, 30]))
            base = begun - long
            for at in range(long):
                share = np.float32(at / long)
                day.pictures[base + at] = day.pictures[base + at] * (1 - share) + following[at] * share
            day.changes.append((base + long // 2, "dissolve", long))
            following = following[long:]
        elif kind == "black":
            long = int(dice.choice([6, 10, 15]))
            for at in range(long):
                day.pictures[begun - long + at] = day.pictures[begun - long + at] * np.float32(
                    1 - (at + 1) / long
                )
                following[at] = following[at] * np.float32(at / long)
            day.changes.append((begun, "dissolve", 2 * long))
        elif kind == "cut":
            day.changes.append((begun, "cut", 0))
        day.pictures += following
        if dice.random() < 0.4 and len(following) > 70 - 30:
            place = len(day.pictures) - len(following) // 2
            for at in range(int(dice.integers(1, 4))):
                day.pictures[place + at] = np.clip(day.pictures[place + at] * 2.2 + 0.35, 0, 1)
            day.flashes.append(place)
    return day
