"""What a cut that came home from a grading room must show, drawn by hand: from the surface its cameras saw, the
room's own record of what it did, and formulas written down here."""

from __future__ import annotations

import re
from dataclasses import replace
from fractions import Fraction
from math import floor
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.formats import read_file
from wexodos.model import Sequence, Title
from wexodos.picture import Composer, Frames

Picture = NDArray[np.float64]
WIDE, TALL = 192, 108
ITEM = 24
"""Frames of every clip of the cut."""
NAMES = ("First", "Wider", "Slower", "Plain", "Grey", "Shrinking", "Held", "Fading", "Last")
ELAPSED = (5, 11, 17)
"""Where in a clip it is looked at: not where a transition is."""
DISSOLVE = (92, 8)
LUMA = np.asarray([0.2126, 0.7152, 0.0722])
NEAR = 0.01
"""Of full scale, in the middle: what a renderer's compression leaves."""
SEEN = 0.02
"""A title is where it makes so much of a difference."""


def surface(number: int) -> NDArray[np.uint8]:
    """What a camera saw; frame ``k`` of it is the part from row ``k`` and column ``2 k`` on."""
    dice = np.random.default_rng(number)
    return np.asarray(cv2.resize(dice.integers(0, 200, (60, 90, 3), np.uint8), (720, 480), interpolation=2))


def corrected(picture: Picture, told: str) -> Picture:
    """ASC CDL 1.2, from the words ``slope r g b offset r g b power r g b saturation s``."""
    numbers = [float(one) for one in re.findall(r"-?\d+\.\d+", told)]
    slope, offset, power = (np.asarray(numbers[at : at + 3]) for at in (0, 3, 6))
    made = np.clip(picture * slope + offset, 0, 1) ** power
    grey = (made @ LUMA)[..., None]
    return np.asarray(np.clip(grey + (made - grey) * numbers[9], 0, 1))


def _sized(picture: Picture, scale: float, across: float, down: float) -> Picture:
    """A picture made larger about its middle and moved, black around it; pixels are squares with their middle at
    a half."""
    middle = np.asarray([WIDE / 2, TALL / 2])
    moved = middle + [across, down] + scale * (0.5 - middle) - 0.5
    return np.asarray(
        cv2.warpAffine(picture, np.asarray([[scale, 0, moved[0]], [0, scale, moved[1]]]), (WIDE, TALL))
    )


class Event:
    """What a clip of the cut shows, and what the room did to it."""

    def __init__(self, at: int, truth: list[dict[str, str]]) -> None:
        self.name, self.at, self._surface = NAMES[at], at, surface(1 + at % 4)
        self.told = {one["what"]: one["value"] for one in truth if one["item_id"] == self.name}
        # Without a render of its own it has all that its source has.
        self.handles = int(self.told.get("rendered", ITEM))
        self.within = {one["value"] for one in truth if (one["item_id"], one["what"]) == (self.name, "in it")}

    def shown(self, elapsed: int, beside: int = 0) -> Picture:
        """The picture ``elapsed`` frames into the clip, or with the source ``beside`` frames off."""
        trimmed = "trimmed" in self.told and elapsed >= ITEM - int(self.told["trimmed"])
        if "removed" in self.told or trimmed:
            return np.zeros((TALL, WIDE, 3))
        pace = Fraction(self.told.get("retimed", {"Slower": "1/2", "Held": "0"}.get(self.name, "1")))
        frame = 20 + 12 * self.at + floor(elapsed * pace) + int(self.told.get("slipped", 0)) + beside
        made: Picture = self._surface[frame : frame + TALL, 2 * frame : 2 * frame + WIDE] / 255.0
        steps = {"filter": self._filtered, "motion": self._moved, "fade": self._faded}
        for what, step in steps.items():
            made = step(made, elapsed) if what in self.within else made
        made = corrected(made, self.told["correction"]) if "correction" in self.told else made
        for what, step in steps.items():
            made = made if what in self.within else step(made, elapsed)
        return made

    def _filtered(self, picture: Picture, elapsed: int) -> Picture:
        return np.repeat((picture @ LUMA)[..., None], 3, axis=2) if self.name == "Grey" else picture

    def _moved(self, picture: Picture, elapsed: int) -> Picture:
        if self.name == "Wider":
            return _sized(picture, 1.4, 20, -10)
        if self.name == "Shrinking":
            return _sized(picture, 1 - 0.4 * min(1, max(0, (elapsed - 4) / 20)), 0, 0)
        return picture

    def _faded(self, picture: Picture, elapsed: int) -> Picture:
        return picture * min(1, elapsed / 12) if self.name == "Fading" else picture


class Shown:
    """A cut that came home, as it is seen with the movie of the whole or without, with its titles or without."""

    def __init__(self, path: Path) -> None:
        self._document = read_file(path)
        self._frames = Frames()
        self._ways: dict[tuple[bool, bool], tuple[Composer, Sequence]] = {}

    def close(self) -> None:
        self._frames.close()

    def _way(self, whole: bool, titles: bool) -> tuple[Composer, Sequence]:
        (cut,) = self._document.top_level
        tracks = tuple(
            replace(
                track,
                enabled=track.name != "Movie of the whole" or whole,
                items=tuple(one for one in track.items if titles or not isinstance(one.content, Title)),
            )
            for track in cut.tracks
        )
        shown = replace(cut, tracks=tracks, stated_duration=cut.duration)
        others = tuple(shown if one.id == shown.id else one for one in self._document.sequences)
        within = replace(self._document, sequences=others)
        return Composer(within, lambda media: Path(media.path or ""), self._frames), shown

    def picture(self, frame: int, whole: bool = False, titles: bool = True) -> Picture:
        if (whole, titles) not in self._ways:
            self._ways[whole, titles] = self._way(whole, titles)
        composer, shown = self._ways[whole, titles]
        return np.asarray(composer.frame(shown, frame, TALL).picture[..., :3], float)


def _apart(one: Picture, other: Picture) -> Picture:
    return np.asarray(np.abs(one - other).max(axis=2))


def distance(one: Picture, other: Picture, where: NDArray[np.bool_] | None = None) -> float:
    apart = np.abs(one - other).mean(axis=2)
    return float((apart if where is None else apart[where]).mean())


def after_grading(
    back: Path, cut: Path, truth: list[dict[str, str]], laid: set[str], whole: bool
) -> list[str]:
    """Where a cut that came home from grading does not show what it must, in words. ``laid`` are the clips whose
    renders stand in it, ``whole`` whether the movie of the whole does."""
    home, before, wrong = Shown(back), Shown(cut), []
    look = next((one["value"] for one in truth if (one["item_id"], one["what"]) == ("", "correction")), "")
    events = [Event(at, truth if name in laid else []) for at, name in enumerate(NAMES)]
    for event in events:
        for elapsed in ELAPSED:
            frame = ITEM * event.at + elapsed
            was = before.picture(frame)
            titled = _apart(was, before.picture(frame, titles=False)) > SEEN
            seen, wanted = home.picture(frame), event.shown(elapsed)
            beside = min(distance(seen, event.shown(elapsed, by), ~titled) for by in (-1, 1))
            apart = distance(seen, wanted, ~titled)
            if apart > min(NEAR, beside / 2):
                wrong.append(f"{event.name} at {elapsed}: {apart:.4f} away")
            # Titles are what they were, over whatever they stand.
            solid = titled & (was.min(axis=2) > 0.99)
            if solid.any() and distance(seen, was, solid) > NEAR:
                wrong.append(f"{event.name} at {elapsed}: the title is another")
            if whole:
                wanted = corrected(Event(event.at, []).shown(elapsed), look)
                apart = distance(home.picture(frame, whole=True), wanted, ~titled)
                if apart > NEAR:
                    wrong.append(f"the whole at {frame}: {apart:.4f} away")
    begin, length = DISSOLVE
    plain, grey = events[NAMES.index("Plain")], events[NAMES.index("Grey")]
    for frame in range(begin + 1, begin + length):
        share, after = (frame - begin) / length, frame - ITEM * grey.at
        if (after < 0 and grey.handles < -after) or (after >= 0 and plain.handles <= after):
            continue
        wanted = plain.shown(ITEM + after) * (1 - share) + grey.shown(after) * share
        seen = home.picture(frame, titles=False)
        if (apart := distance(seen, wanted)) > NEAR:
            wrong.append(f"the dissolve at {frame}: {apart:.4f} away")
    home.close()
    before.close()
    return wrong


def lacking(truth: list[dict[str, str]], laid: set[str]) -> dict[str, list[int]]:
    """The frames that a render has too few at its beginning and at its end: transitions want four there."""
    reach = {"First": (0, 4), "Wider": (4, 0), "Plain": (0, 4), "Grey": (4, 0)}
    spare = {one["item_id"]: int(one["value"]) for one in truth if one["what"] == "rendered"}
    return {name: [max(0, one - spare[name]) for one in reach.get(name, (0, 0))] for name in laid}


def after_editing(back: Path, truth: list[dict[str, str]]) -> list[str]:
    """Where a cut that came home from editing does not show what it must: what was changed is changed, what was
    lost is there again."""
    home, wrong = Shown(back), []
    later = sum(int(one["value"]) for one in truth if one["what"] == "inserted")
    for at, name in enumerate(NAMES):
        event = Event(at, truth)
        for elapsed in ELAPSED:
            seen = home.picture(ITEM * at + elapsed + later)
            titled = _apart(seen, home.picture(ITEM * at + elapsed + later, titles=False)) > SEEN
            apart = distance(seen, event.shown(elapsed), ~titled)
            if apart > NEAR:
                wrong.append(f"{name} at {elapsed}: {apart:.4f} away")
    home.close()
    return wrong


def unlike(one: Path, other: Path) -> list[int]:
    """The frames of every clip and transition at which two cuts are seen to differ."""
    first, second = Shown(one), Shown(other)
    places = sorted(
        {ITEM * at + elapsed for at in range(len(NAMES)) for elapsed in (*ELAPSED, 1, 22)} | {24, 96}
    )
    found = [frame for frame in places if distance(first.picture(frame), second.picture(frame)) > 1e-4]
    first.close()
    second.close()
    return found
