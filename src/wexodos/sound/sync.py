"""How one sound lies against another: the offset to the sample, a drift, and places from which it follows
another cut.

First by envelopes – how the loudness of short stretches rises and falls, which survives ridden levels, other
filters and much that was added –, then in windows by the samples themselves: the highest place of their
generalised cross-correlation (Knapp and Carter, 1976, with the phase transform taken to a part). What most
windows agree in is the offset; one line replaced, or a tail of reverberation, is outvoted.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.fft import irfft, rfft

from wexodos.ground import Progress, quiet, together
from wexodos.sound.lines import LEAST, Line, Window, agreed, along, fitted, nearest, top
from wexodos.sound.loudness import HOP, LEAST_VALUES, QUIET, Loudness, envelope_of
from wexodos.sound.signals import Kept, Samples, Signal

_MARGIN = 2048
"""So far around the expected place a window is looked for, in samples."""
_SHORT, _WINDOW = (1 << 15) - 2 * _MARGIN, (1 << 17) - 2 * _MARGIN
"""Samples of a window while the drift is not known, and then."""
_SEARCHED = 16
"""In so many windows about the whole of the other sound is searched; between them it is where its neighbours
are."""
_MOST = 160
"""So many windows at the most, evenly over the length."""
_WHITE = 0.7
"""How far all frequencies count alike (1: the phase transform)."""
_LOCAL, _NOTHING = 4096, 1e-12
"""Samples over which a level is taken for the same, and the power that is silence."""
_CLOSE = 2.0
"""Samples within which windows agree."""
_SURE = 0.3
"""A window whose sound correlates with less is not heard there."""
_LIKELY = 0.12
"""A stretch whose loudness correlates with less is not looked at again; those that were found by chance agree
in nothing."""
_PULLS, _HARDLY = (1e-3, -1e-3 / 1.001), 0.4
"""Drifts between the rates of film and of television, and how little, on the whole of all windows, must have
been found without them for these to be tried."""

ENOUGH = 0.2
"""With less certainty nothing is said of where a sound belongs."""


@dataclass(frozen=True, slots=True)
class Step:
    """From sample ``at`` of the reference on, the other is ``samples`` later than before."""

    at: int
    samples: int


@dataclass(frozen=True, slots=True)
class Measured:
    """How a sound lies against a reference: ``offset`` samples later at its first sample, ``drift`` in
    millionths longer. ``certainty`` is how well and in how much of the sound it is so, from 0 to 1; with None
    for an offset nothing was recognised. ``inverted``: what goes up in one goes down in the other."""

    offset: float | None
    drift: float = 0.0
    certainty: float = 0.0
    steps: tuple[Step, ...] = ()
    inverted: bool = False


def measured(reference: Signal, other: Signal, progress: Progress = quiet) -> Measured:
    """Hold a sound against a reference of one rate. Raises ``SoundError`` and what ``progress`` raises."""
    reference, other = Kept(reference), Kept(other)
    places = _places(reference)
    envelope = envelope_of(other, progress)
    if len(envelope) < LEAST_VALUES:
        return Measured(None)
    loudness = Loudness(envelope)
    rows = []
    for number, at in enumerate(places[:: max(1, len(places) // _SEARCHED)]):
        progress("listening for the same sound", 0.3 + 0.3 * number / max(1, len(places)))
        rows += loudness.find(reference, at)
    likely = [one for one in rows if one.score >= _LIKELY]
    ways: list[tuple[float, Line, list[Window]]] = []

    def go(coarse: Line) -> None:
        windows = [Window(at) for at in places]
        around = _Around(coarse, nearest(rows, coarse))
        found_line = _finely(reference, other, windows, around, _SHORT, progress, 0.6)
        if found_line is not None:
            ways.append((sum(one.score for one in found_line.windows), found_line, windows))

    for coarse in agreed(likely, 4.0 * HOP):
        go(coarse)
    if max((score for score, _, _ in ways), default=0.0) < _HARDLY * len(places):
        # Over a short time envelopes hardly tell a drift: those there are by custom are tried.
        for pull in _PULLS:
            for coarse in along(likely, pull, 4.0 * HOP):
                go(coarse)
    if not ways:
        return Measured(None)
    _, line, heard = max(ways, key=lambda way: way[0])
    line = _finely(reference, other, heard, _Around(line, heard), _WINDOW, progress, 0.8) or line
    return _told(reference, other, line, [one for one in heard if one.loud])


def _places(reference: Signal) -> list[int]:
    """Where the windows of the reference begin; the last ones see its end."""
    last = max(0, reference.length - _WINDOW)
    count = min(_MOST, 1 + last // (2 * reference.rate))
    return [round(last * number / max(1, count - 1)) // HOP * HOP for number in range(count)]


@dataclass(slots=True)
class _Around:
    """Where windows are expected: on the line most agree in, or where they were found themselves."""

    line: Line
    rows: list[Window]

    def of(self, at: int) -> list[float]:
        sure = [one for one in self.rows if one.score >= _LIKELY]
        before = max((one for one in sure if one.at <= at), key=lambda one: one.at, default=None)
        behind = min((one for one in sure if one.at >= at), key=lambda one: one.at, default=None)
        found = [self.line.at(at)]
        for one in (before, behind):
            lag = one.lag + self.line.drift * (at - one.at) if one is not None else found[0]
            if all(abs(lag - each) > _MARGIN / 2 for each in found):
                found.append(lag)
        return found


def _finely(
    reference: Signal,
    other: Signal,
    windows: list[Window],
    around: _Around,
    size: int,
    progress: Progress,
    share: float,
) -> Line | None:
    """Find every window to the sample; the line most of them agree in."""
    ways: dict[int, list[Window]] = {1: [], -1: []}

    def places(one: Window) -> list[tuple[Window, Window]]:
        drift = around.line.drift
        return [_exactly(reference, other, one.at, lag, drift, size) for lag in around.of(one.at)]

    for number, found in enumerate(together(places, windows)):
        progress("measuring to the sample", share + 0.2 * number / len(windows))
        for place, way in enumerate(ways.values()):
            way.append(max((each[place] for each in found), key=lambda each: each.score))
    # A sound is upside down as a whole or not at all.
    sign, best = max(ways.items(), key=lambda way: sum(max(0.0, one.score) for one in way[1]))
    for one, there in zip(windows, best):
        one.lag, one.score, one.loud = there.lag, there.score, there.loud
    sure = [one for one in windows if one.score >= _SURE]
    lines = agreed(sure, _CLOSE)
    return replace(fitted(lines[0]), sign=sign) if lines else None


def _fast(count: int) -> int:
    """A length that is transformed fast, and is no shorter."""
    whole = 1 << (count - 1).bit_length()
    return next(size for size in (whole // 8 * 5, whole // 4 * 3, whole // 8 * 7, whole) if size >= count)


def _exactly(
    reference: Signal, other: Signal, at: int, lag: float, drift: float, size: int
) -> tuple[Window, Window]:
    """Where a window is, to parts of a sample, around an expected place: as it is, and upside down."""
    size = min(size, max(0, reference.length - at))
    silent = Window(at, lag, loud=False)
    if size < 1024:
        return silent, silent
    samples = reference.read(at - 1, size + 1)
    if np.sqrt(np.square(samples).mean()) < QUIET:
        return silent, silent
    ours = np.diff(samples)
    first = round(at + lag) - _MARGIN
    theirs = _stretched(other, first, size + 2 * _MARGIN, drift, _MARGIN)
    full = _fast(size + 2 * _MARGIN)
    a, b = rfft(ours, full), rfft(theirs, full)
    cross = b * np.conj(a)
    cross /= np.maximum(np.abs(cross), 1e-12 * max(1e-30, float(np.abs(cross).max()))) ** _WHITE
    curve = irfft(cross, full)[: 2 * _MARGIN + 1]
    own = float(np.square(ours).sum())

    def found(sign: int) -> Window:
        peak = int(np.argmax(sign * curve))
        there = theirs[peak : peak + size]
        power = own * float(np.square(there).sum())
        # Not as a product of vectors, which is shared out among threads and takes longer for it.
        alike = float(np.einsum("i,i", ours, there))
        score = sign * alike / np.sqrt(power) if power > 0 else 0.0
        return Window(at, first + peak + top(sign * curve, peak) - at, score)

    return found(1), found(-1)


def _stretched(other: Signal, first: float, count: int, drift: float, about: int = 0) -> Samples:
    """The differences of ``count`` samples from ``first``, read as much faster about one of them as the sound
    drifts, so that a stretch lies against the reference from end to end."""
    if not drift:
        return np.diff(other.read(round(first) - 1, count + 1))
    at = first + (np.arange(-1, count) - about) * (1 + drift) + about
    low = int(np.floor(at[0]))
    data = other.read(low, int(np.ceil(at[-1])) - low + 2)
    return np.diff(np.interp(at - low, np.arange(len(data)), data))


def _told(reference: Signal, other: Signal, line: Line, windows: list[Window]) -> Measured:
    """What the windows say: where they leave the line for another one it is a step."""
    sure = sorted((one for one in windows if one.score >= _SURE), key=lambda one: one.at)
    parts: list[list[Window]] = []
    for one in sure:
        apart = one.lag - line.drift * one.at
        if parts and abs(apart - _level(parts[-1], line.drift)) <= _CLOSE:
            parts[-1].append(one)
        else:
            parts.append([one])
    # Few windows alone are a line that was replaced, or a chance.
    parts = [part for part in parts if len(part) >= LEAST or len(parts) == 1]
    joined: list[list[Window]] = []
    for part in parts:
        level = _level(part, line.drift)
        if joined and abs(level - _level(joined[-1], line.drift)) <= _CLOSE:
            joined[-1] += part
        else:
            joined.append(part)
    if not joined:
        return Measured(None)
    steps = []
    for before, behind in zip(joined, joined[1:]):
        lags = _level(before, line.drift), _level(behind, line.drift)
        at = _between(reference, other, (before[-1].at, behind[0].at), lags, line.drift)
        steps.append(Step(at, round(lags[1] - lags[0])))
    agreed = [one for part in joined for one in part]
    share = len(agreed) / max(1, len(windows))
    certainty = min(1.0, float(np.mean([one.score for one in agreed])) * (0.5 + 0.5 * share))
    inverted = line.sign < 0
    return Measured(_level(joined[0], line.drift), line.drift * 1e6, certainty, tuple(steps), inverted)


def _level(part: list[Window], drift: float) -> float:
    return float(np.median([one.lag - drift * one.at for one in part]))


def _between(
    reference: Signal, other: Signal, places: tuple[int, int], lags: tuple[float, float], drift: float
) -> int:
    """From which sample on a sound does not follow the first lag any more: where what that leaves before and
    the second behind is the least."""
    low, high = places[0], min(places[1] + _WINDOW, reference.length)
    ours = np.diff(reference.read(low - 1, high - low + 1))
    loud = np.maximum(_about(ours * ours), _NOTHING)
    left = []
    for lag in lags:
        theirs = _stretched(other, low + lag + drift * low, len(ours), drift)
        # What neither says of the other about there, both ways, as a share of it: so a loud line counts no
        # more than a low one, and silence, which leaves nothing and says nothing, as much as another sound.
        alike = _about(ours * theirs)
        there = np.maximum(_about(theirs * theirs), _NOTHING)
        gap = np.where(there > _NOTHING, np.square(theirs - alike / loud * ours) / there, 1.0)
        left.append(gap + np.square(ours - alike / there * theirs) / loud)
    # What was taken out there is in neither.
    out = min(len(ours), max(0, round(lags[0] - lags[1])))
    before, behind = (np.concatenate([[0.0], np.cumsum(one)]) for one in left)
    cost = before[: len(before) - out] - behind[out:]
    return low + int(np.argmin(cost))


def _about(values: Samples) -> Samples:
    """The mean of values about each place."""
    width = min(_LOCAL, len(values) // 2 * 2)
    total = np.concatenate([[0.0], np.cumsum(np.pad(values, width // 2, mode="edge"))])
    return np.asarray((total[width:] - total[:-width])[: len(values)] / max(1, width))
