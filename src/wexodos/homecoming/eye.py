"""An event as it was and as a render makes it, held against each other: how alike they are, how far apart in
their colours, how much of the frame they leave open."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.homecoming.renders import Event
from wexodos.model import Document, Generator, Item, Media, Motion, Sequence, Track
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Shot
from wexodos.picture.filters import is_drawn
from wexodos.timing import floor

_HEIGHT = 120
"""Pictures are held against each other at this height."""
_PLACES = (Fraction(1, 5), Fraction(1, 2), Fraction(4, 5))
"""Where in an event: not at its ends, where transitions are."""
_ALIKE = 0.02
"""Below that a correction explains all there is between two pictures."""
_FLAT = 2e-3
"""Pictures with less contrast than this tell nothing."""
_SEEN = 0.05
"""White beneath an item is seen where it makes so much of a difference."""
_REACH = 3
"""So many frames about its place a picture is looked for."""
_SURE = 0.01
"""So much better a picture must match elsewhere to belong there."""
Grey = NDArray[np.float32]
_LUMA = np.asarray([0.2126, 0.7152, 0.0722], np.float32)
"""BT.709."""


class Eye:
    """Sees an event as it was, and as a render makes it."""

    def __init__(
        self,
        document: Document,
        sequence: Sequence,
        render: Media,
        locate: Callable[[Media], Path | None],
        frames: Frames,
    ) -> None:
        self.document, self.sequence = document, sequence

        def found(media: Media) -> Path | None:
            return Path(render.path or "") if media.id == render.id else locate(media)

        self._locate, self._frames = found, frames
        self._before: dict[tuple[str, int], NDArray[np.float32] | None] = {}

    def alike(self, event: Event, item: Item, shift: int = 0) -> float | None:
        """How well pictures correlate (1: but for brightness and contrast they are the same), the middle of
        several; None where they tell nothing."""
        found = []
        for frame in self._places(event):
            ours, theirs = self._was(event, frame - shift), self._picture(item, frame)
            if ours is not None and theirs is not None:
                score = _correlated(_grey(ours), _grey(theirs))
                if score is not None:
                    found.append(score)
        return float(np.mean(found)) if found else None

    def nearer(self, event: Event, bare: Item) -> tuple[float, float] | None:
        """How far a render is from an event as it was with its filters, and from it without, in parts of full
        scale: by what no correction of colours can make of the one out of the other, both ways; where
        that is next to nothing for either, by the colours as they are."""
        rest, straight = np.zeros(2), np.zeros(2)
        count = 0
        plain = replace(
            event, item=replace(without_filters(event.item) or event.item, id=f"{event.item.id} plain")
        )
        for frame in self._places(event):
            pair = self._was(event, frame), self._was(plain, frame)
            theirs = self._picture(bare, frame)
            if pair[0] is None or pair[1] is None or theirs is None:
                continue
            count += 1
            for place, ours in enumerate(pair):
                assert ours is not None
                rest[place] += max(_left_over(ours, theirs), _left_over(theirs, ours))
                straight[place] += float(np.abs(ours - theirs).mean())
        if not count:
            return None
        told = (rest if rest.max() / count > _ALIKE else straight) / count
        return float(told[0]), float(told[1])

    def open(self, item: Item) -> float:
        """How much of the frame an item leaves open in its middle, from 0 to 1: where white beneath it makes
        a difference."""
        frame = floor(item.start + item.duration / Fraction(2))
        white = Generator("colour", color="#ffffffff")
        beneath = Item("white beneath", "", item.start, item.duration, white, motion=Motion())
        pair = [self._picture(item, frame), self._picture(item, frame, beneath)]
        if pair[0] is None or pair[1] is None:
            return 0.0
        return float((np.abs(pair[0] - pair[1]).max(axis=-1) > _SEEN).mean())

    def offset(self, event: Event, item: Item) -> int:
        """How many frames later the pictures of a render are; 0 where that is not sure."""
        fits = {shift: self.alike(event, item, shift) for shift in range(-_REACH, _REACH + 1)}
        known = {shift: fit for shift, fit in fits.items() if fit is not None}
        if 0 not in known:
            return 0
        best = max(known, key=lambda shift: (known[shift], -abs(shift)))
        return best if known[best] > known[0] + _SURE else 0

    def _places(self, event: Event) -> list[int]:
        item = event.item
        return list(dict.fromkeys(floor(item.start + item.duration * place) for place in _PLACES))

    def _was(self, event: Event, frame: int) -> NDArray[np.float32] | None:
        """The event as it was, alone; None where there is nothing of it at that frame, or its file is not
        there."""
        key = event.item.id, frame
        if key not in self._before:
            item = event.item
            inside = item.start <= frame < item.end
            self._before[key] = self._picture(item, frame) if inside else None
        return self._before[key]

    def _picture(self, item: Item, frame: int, beneath: Item | None = None) -> NDArray[np.float32] | None:
        alone = replace(
            self.sequence,
            tracks=(
                *([Track("video", (beneath,))] if beneath is not None else []),
                Track("video", (replace(item, blend="normal"),)),
            ),
            stated_duration=self.sequence.duration,
        )
        others = tuple(alone if one.id == alone.id else one for one in self.document.sequences)
        composer = Composer(replace(self.document, sequences=others), self._locate, self._frames)
        shot: Shot = composer.frame(alone, frame, _HEIGHT)
        return None if shot.missing else np.asarray(shot.picture[..., :3], np.float32)


def _left_over(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """What is left of a picture when another is brought as near to it as three colours mixed with an offset
    can."""
    known = np.concatenate(
        [one.reshape(-1, 3), np.ones((one.shape[0] * one.shape[1], 1), np.float32)], axis=1
    )
    wanted = other.reshape(-1, 3)
    mixed, *_ = np.linalg.lstsq(known, wanted, rcond=None)
    return float(np.sqrt(np.square(known @ mixed - wanted).mean()))


def _grey(picture: NDArray[np.float32]) -> Grey:
    return np.asarray(cv2.GaussianBlur(picture @ _LUMA, (0, 0), 1.0), np.float32)


def _correlated(ours: Grey, theirs: Grey) -> float | None:
    """The correlation of two pictures; None where one of them is flat."""
    a, b = ours - ours.mean(), theirs - theirs.mean()
    power = float(np.sqrt(np.square(a).mean() * np.square(b).mean()))
    return float((a * b).mean()) / power if power > _FLAT**2 else None


def without_filters(item: Item) -> Item | None:
    """An item with the filters switched off that are drawn here; None where there are none."""
    effects = tuple(
        replace(one, enabled=False) if one.enabled and is_drawn(one) else one for one in item.effects
    )
    return replace(item, effects=effects) if effects != item.effects else None
