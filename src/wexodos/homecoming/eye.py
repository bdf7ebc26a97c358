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

from wexodos.evaluate.curves import curve_values
from wexodos.homecoming.events import Event
from wexodos.model import Constant, Document, Generator, Item, Media, Motion, Sequence, Track, constant
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Shot
from wexodos.picture.filters import is_drawn
from wexodos.timing import exact, floor

_HEIGHT = 120
"""Pictures are held against each other at this height."""
_PLACES = tuple(Fraction(part, 6) for part in range(1, 6))
"""Where in an event: not at its ends, where transitions are."""
_MOST_KEYS = 6
"""So many places between keys are looked at besides."""
_ALIKE = 0.02
"""Below that a correction explains all there is between two pictures."""
_FLAT = 2e-3
"""Pictures with less contrast than this tell nothing."""
_SEEN = 0.05
"""White beneath an item is seen where it makes so much of a difference."""
_REACH = 3
"""So many frames about its place a picture is looked for."""
_SURE, _CLEARER = 1e-3, 0.5
"""So much better a picture must match elsewhere to belong there, and no more may be left of what it lacked:
of what moves, a frame beside the right one lacks more than twice as much."""
_FITS = 0.99
"""Pictures that correlate so well are those of one frame."""
_DARK = 0.02
"""Pictures darker than this on the whole tell nothing of a fade."""
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
        before: dict[tuple[str, int], NDArray[np.float32] | None] | None = None,
    ) -> None:
        """``before`` are pictures of the cut that are known, and are kept there."""
        self.document, self.sequence = document, sequence

        def found(media: Media) -> Path | None:
            return Path(render.path or "") if media.id == render.id else locate(media)

        self._locate, self._frames = found, frames
        self._before = before if before is not None else {}

    def alike(self, event: Event, item: Item) -> float | None:
        """How well pictures correlate (1: but for brightness and contrast they are the same), the middle of
        several; None where they tell nothing."""
        found = [
            one for frame in self._places(event) if (one := self._alike_at(event, item, frame)) is not None
        ]
        return float(np.mean(found)) if found else None

    def glance(self, event: Event, item: Item) -> float | None:
        """The same in its middle alone."""
        return self._alike_at(event, item, floor(event.item.start + event.item.duration / Fraction(2)))

    def _alike_at(self, event: Event, item: Item, frame: int) -> float | None:
        ours, theirs = self._was(event, frame), self._picture(item, frame)
        return _correlated(_grey(ours), _grey(theirs)) if ours is not None and theirs is not None else None

    def aligned(self, event: Event, item: Item) -> float | None:
        """The same where its pictures may be a frame late or early."""
        fit = self.alike(event, item)
        if fit is None or fit > _FITS:
            return fit
        others = [self.alike(event, self._sooner(item, shift)) for shift in (-1, 1)]
        return max([fit, *(one for one in others if one is not None)])

    def _sooner(self, item: Item, frames: int) -> Item:
        """A render whose pictures are shown so much sooner; what the cut does to them stays in its time."""
        begin = Fraction(item.source_in) + Fraction(self.sequence.rate.seconds(frames))
        return replace(item, source_in=exact(begin))

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
        a difference, without its opacity."""
        item = _whole(item)
        frame = floor(item.start + item.duration / Fraction(2))
        white = Generator("colour", color="#ffffffff")
        beneath = Item("white beneath", "", item.start, item.duration, white, motion=Motion())
        pair = [self._picture(item, frame), self._picture(item, frame, beneath)]
        if pair[0] is None or pair[1] is None:
            return 0.0
        return float((np.abs(pair[0] - pair[1]).max(axis=-1) > _SEEN).mean())

    def offset(self, event: Event, item: Item) -> int:
        """How many frames later the pictures of a render are; 0 where that is not sure."""
        fits = {shift: self.alike(event, self._sooner(item, shift)) for shift in range(-_REACH, _REACH + 1)}
        known = {shift: fit for shift, fit in fits.items() if fit is not None}
        if 0 not in known:
            return 0
        best = max(known, key=lambda shift: (known[shift], -abs(shift)))
        surely = known[best] > known[0] + _SURE and 1 - known[best] < (1 - known[0]) * _CLEARER
        return best if surely else 0

    def faded(self, event: Event, item: Item) -> tuple[float, float] | None:
        """By how much the brightness of a render against that of the event goes astray, in parts of it: from
        what it is with the event's opacity, and without; None where its opacity does not move, or nothing
        can be told. One factor over all is a correction, and none of it."""
        opacity = (event.item.motion or Motion()).opacity
        if not opacity.keys:
            return None
        ratios = self._brightness(event, item)
        if len(ratios) < 3:
            return None
        times = np.asarray([float(frame - event.item.start) for frame in ratios])
        share, ratio = curve_values(opacity, times)[:, 0], np.asarray(list(ratios.values()))
        if np.ptp(share) < 0.2 or not ratio.any():
            return None
        plain = float(np.std(ratio) / np.mean(ratio))
        # The factor that explains most of it.
        factor = float(share @ ratio / (share @ share))
        return float(np.std(ratio - factor * share) / np.mean(ratio)), plain

    def brightness(self, event: Event, item: Item) -> float | None:
        """How bright a render is against the event without its opacity; None where nothing can be told."""
        ratios = self._brightness(event, item)
        return float(np.median(list(ratios.values()))) if ratios else None

    def _brightness(self, event: Event, item: Item) -> dict[int, float]:
        """The same by the frames at which it can be told."""
        bare = replace(
            event, item=replace(event.item, id=f"{event.item.id} opaque", motion=_opaque(event.item.motion))
        )
        found = {}
        for frame in self._places(event):
            was, now = self._was(bare, frame), self._picture(_whole(item), frame)
            if was is not None and now is not None and float(was.mean()) > _DARK:
                found[frame] = float(now.mean()) / float(was.mean())
        return found

    def stacked(self, event: Event, item: Item) -> tuple[float, float] | None:
        """How well a render correlates with the event over what lies beneath it, and with the event alone."""
        label, below = event.track, []
        for name, track in self.sequence.labelled_tracks():
            if track.kind == "video":
                below.append(track)
            if name == label:
                break
        whole = replace(self.sequence, tracks=tuple(below), stated_duration=self.sequence.duration)
        scores = []
        for frame in self._places(event):
            theirs, alone = self._picture(_whole(item), frame), self._was(event, frame)
            both = self._composed(whole, frame)
            if theirs is None or alone is None or both is None:
                continue
            pair = _correlated(_grey(both), _grey(theirs)), _correlated(_grey(alone), _grey(theirs))
            if pair[0] is not None and pair[1] is not None:
                scores.append((pair[0], pair[1]))
        if not scores:
            return None
        return float(np.mean([one for one, _ in scores])), float(np.mean([one for _, one in scores]))

    def _places(self, event: Event) -> list[int]:
        """Frames of an event at which it is looked at: spread over it, and between its keys."""
        item = event.item
        places = {floor(item.start + item.duration * place) for place in _PLACES}
        if isinstance(item.speed, Constant) and 0 < abs(Fraction(item.speed.rate)) < 1:
            # The same picture stands for several frames: one more of each is another one.
            places |= {place + 1 for place in places}
        times = sorted(
            {
                min(max(0, key.time), item.duration)
                for curve in (item.motion or Motion()).curves.values()
                for key in curve.keys
            }
        )
        between = [floor(item.start + (one + other) / Fraction(2)) for one, other in zip(times, times[1:])]
        return sorted(places | set(between[:_MOST_KEYS]))

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
        return self._composed(alone, frame)

    def _composed(self, sequence: Sequence, frame: int) -> NDArray[np.float32] | None:
        others = tuple(sequence if one.id == sequence.id else one for one in self.document.sequences)
        composer = Composer(replace(self.document, sequences=others), self._locate, self._frames)
        shot: Shot = composer.frame(sequence, frame, _HEIGHT)
        return None if shot.missing else np.asarray(shot.picture[..., :3], np.float32)


def _opaque(motion: Motion | None) -> Motion:
    """A sizing with nothing seen through it."""
    return replace(motion or Motion(), opacity=constant(1))


def _whole(item: Item) -> Item:
    """An item with nothing seen through it."""
    return replace(item, motion=_opaque(item.motion))


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
