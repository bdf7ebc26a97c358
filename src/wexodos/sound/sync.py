"""How one sound lies against another: the offset to the sample, a drift, and places from which it follows
another cut.

First by envelopes – how the loudness of short stretches rises and falls, which survives ridden levels, other
filters and much that was added –, then in windows by the samples themselves: the highest place of their
generalised cross-correlation (Knapp and Carter, 1976, with the phase transform taken to a part). What most
windows agree in is the offset; one line replaced, or a tail of reverberation, is outvoted.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.fft import irfft, rfft
from numpy.typing import NDArray

from wexodos.ground import Progress, quiet, together
from wexodos.sound.signals import Kept, Samples, Signal

_HOP = 128
"""Samples of one value of an envelope: at 48 kHz 375 a second."""
_STRETCH = 4096
"""Values of an envelope that are held against all of the other: 11 s."""
_PART = 1 << 15
"""Values that are transformed at once (overlap-save): as a whole they take ten times as long."""
_MARGIN = 2048
"""So far around the expected place a window is looked for, in samples."""
_SHORT, _WINDOW = (1 << 15) - 2 * _MARGIN, (1 << 17) - 2 * _MARGIN
"""Samples of a window while the drift is not known, and then."""
_LEAST_VALUES = 64
"""With fewer values of an envelope nothing is recognised."""
_SEARCHED = 16
"""In so many windows about the whole of the other sound is searched; between them it is where its neighbours
are."""
_MOST = 160
"""So many windows at the most, evenly over the length."""
_WHITE = 0.7
"""How far all frequencies count alike (1: the phase transform)."""
_LOCAL = 4096
"""Samples over which a level is taken for the same."""
_QUIET = 10 ** (-70 / 20)
_CLOSE = 2.0
"""Samples within which windows agree."""
_SURE = 0.3
"""A window whose sound correlates with less is not heard there."""
_LIKELY = 0.12
"""A stretch whose loudness correlates with less is not looked at again; those that were found by chance agree
in nothing."""
_AS_GOOD, _CLEAR, _MOST_ALIKE, _APART = 0.9, 0.4, 12, 32
"""Places that are as good as the best, to that share of it, where that is clear; so many at the most, and so
many values of the envelope apart: what most stretches agree in tells which of them is meant."""
_FASTEST = 2500e-6
"""The largest drift that is looked for; a pull of 0.1 % is 1000 in a million."""
_PULLS, _HARDLY = (1e-3, -1e-3 / 1.001), 0.4
"""Drifts between the rates of film and of television, and how little, on the whole of all windows, must have
been found without them for these to be tried."""
_WORTH_IT = 1.5
"""So much more must be in a line with a drift than in one without."""
_LEAST = 3
"""So many windows in a row are another cut, not one line."""

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


@dataclass(slots=True)
class _Window:
    """A stretch of the reference from sample ``at`` on, how much later it was found, and how well."""

    at: int
    lag: float = 0.0
    score: float = 0.0
    loud: bool = True


@dataclass(slots=True)
class _Line:
    """Windows in a row whose lag is ``offset`` + ``drift`` · their place; ``sign`` is -1 where one sound is
    the other upside down."""

    offset: float
    drift: float
    windows: list[_Window] = field(default_factory=list)
    sign: int = 1

    def at(self, place: float) -> float:
        return self.offset + self.drift * place


def measured(reference: Signal, other: Signal, progress: Progress = quiet) -> Measured:
    """Hold a sound against a reference of one rate. Raises ``SoundError`` and what ``progress`` raises."""
    reference, other = Kept(reference), Kept(other)
    places = _places(reference)
    envelope = _envelope(other, progress)
    if len(envelope) < _LEAST_VALUES:
        return Measured(None)
    loudness = _Loudness(envelope)
    rows = []
    for number, at in enumerate(places[:: max(1, len(places) // _SEARCHED)]):
        progress("listening for the same sound", 0.3 + 0.3 * number / max(1, len(places)))
        rows += loudness.find(reference, at)
    likely = [one for one in rows if one.score >= _LIKELY]
    ways: list[tuple[float, _Line, list[_Window]]] = []

    def go(coarse: _Line) -> None:
        windows = [_Window(at) for at in places]
        around = _Around(coarse, _nearest(rows, coarse))
        found_line = _finely(reference, other, windows, around, _SHORT, progress, 0.6)
        if found_line is not None:
            ways.append((sum(one.score for one in found_line.windows), found_line, windows))

    for coarse in _agreed(likely, 4.0 * _HOP):
        go(coarse)
    if max((score for score, _, _ in ways), default=0.0) < _HARDLY * len(places):
        # Over a short time envelopes hardly tell a drift: those there are by custom are tried.
        for pull in _PULLS:
            for coarse in _along(likely, pull, 4.0 * _HOP):
                go(coarse)
    if not ways:
        return Measured(None)
    _, line, heard = max(ways, key=lambda way: way[0])
    line = _finely(reference, other, heard, _Around(line, heard), _WINDOW, progress, 0.8) or line
    return _told(reference, other, line, [one for one in heard if one.loud])


def _envelope(signal: Signal, progress: Progress) -> NDArray[np.float32]:
    """How the loudness of a whole sound changes, a value for each hop."""
    block = _HOP * 4096

    def part(first: int) -> NDArray[np.float32]:
        count = min(block, signal.length - first) // _HOP * _HOP
        return _loudness(signal.read(first - 1, count + 1)) if count else np.zeros(0, np.float32)

    parts = [np.zeros(0, np.float32)]
    for number, one in enumerate(together(part, range(0, signal.length, block))):
        progress("listening", 0.3 * number * block / signal.length)
        parts.append(one)
    return np.concatenate(parts)


def _loudness(samples: Samples) -> NDArray[np.float32]:
    """The loudness of each hop in steps of ten dB, from the differences of the samples, which are one more;
    below hearing all is alike."""
    steps = np.diff(samples)
    energy = np.square(steps).reshape(-1, _HOP).mean(axis=1)
    return np.asarray(np.log10(np.maximum(energy, 1e-9)), np.float32)


def _places(reference: Signal) -> list[int]:
    """Where the windows of the reference begin; the last ones see its end."""
    last = max(0, reference.length - _WINDOW)
    count = min(_MOST, 1 + last // (2 * reference.rate))
    return [round(last * number / max(1, count - 1)) // _HOP * _HOP for number in range(count)]


class _Loudness:
    """The loudness of a whole sound, in which stretches of another are looked for."""

    def __init__(self, envelope: NDArray[np.float32]) -> None:
        room, step = np.zeros(_STRETCH, np.float32), _PART - _STRETCH
        self._changes = np.concatenate([room, _changes(envelope), room])
        rest = np.zeros(-len(self._changes) % step + _STRETCH, np.float32)
        parts = np.lib.stride_tricks.sliding_window_view(np.concatenate([self._changes, rest]), _PART)
        self._transformed = rfft(parts[::step], axis=1)
        self._energy = np.concatenate([[0.0], np.cumsum(np.square(self._changes, dtype=np.float64))])

    def find(self, reference: Signal, at: int) -> list[_Window]:
        """Where a stretch of the reference is, the best place first: one that is repeated – a loop, an effect
        that is used again – is in several. None where it is silent."""
        count = min(_STRETCH, max(0, reference.length - at) // _HOP)
        if count < _LEAST_VALUES:
            return []
        samples = reference.read(at - 1, count * _HOP + 1)
        if np.sqrt(np.square(samples).mean()) < _QUIET:
            return []
        ours = _changes(_loudness(samples))
        power = max(1e-9, float(np.square(ours).sum()))
        product = irfft(self._transformed * np.conj(rfft(ours, _PART)), _PART, axis=1)
        energy = self._energy[count:] - self._energy[:-count]
        # The end of each part is with its beginning in the next.
        score = product[:, : _PART - _STRETCH].reshape(-1)[: len(energy)] / np.sqrt(
            np.maximum(energy, 0.05 * power) * power
        )
        found: list[_Window] = []
        for _ in range(_MOST_ALIKE):
            best = int(np.argmax(score))
            height = float(score[best])
            if found and (found[0].score < _CLEAR or height < found[0].score * _AS_GOOD):
                break
            place = best + _between_peaks(score, best) - _STRETCH
            found.append(_Window(at, place * _HOP - at, height))
            score[max(0, best - _APART) : best + _APART + 1] = -1.0
        return found


def _fast(count: int) -> int:
    """A length that is transformed fast, and is no shorter."""
    whole = 1 << (count - 1).bit_length()
    return next(size for size in (whole // 8 * 5, whole // 4 * 3, whole // 8 * 7, whole) if size >= count)


def _changes(loudness: NDArray[np.float32]) -> NDArray[np.float32]:
    """Changes of loudness against a moving mean: what a ridden level leaves."""
    width = 64
    padded = np.pad(loudness, width // 2, mode="edge")
    total = np.concatenate([[0.0], np.cumsum(padded, dtype=np.float64)])
    mean = (total[width:] - total[:-width]) / width
    return np.asarray(loudness - mean[: len(loudness)], np.float32)


def _agreed(rows: list[_Window], close: float) -> list[_Line]:
    """The lines in most windows, weighed by how well they were found: the best of the level ones, and the
    best of those through every two windows. The one to go by comes first: a line that is not level has one
    freedom more, and may lead from one step to another, so it must be worth it."""
    if not rows:
        return []
    at = np.asarray([one.at for one in rows], np.float64)
    lag = np.asarray([one.lag for one in rows])
    weight = np.asarray([one.score for one in rows])
    level, slanted = (-1.0, 0.0, 0.0), (-1.0, 0.0, 0.0)
    for one in range(len(rows)):
        votes = float(weight[np.abs(lag - lag[one]) <= close].sum())
        if votes > level[0] + 1e-9:
            level = votes, float(lag[one]), 0.0
        for other in range(one + 1, len(rows)):
            if at[other] == at[one]:
                continue
            slope = (lag[other] - lag[one]) / (at[other] - at[one])
            if abs(slope) > _FASTEST or slope == 0:
                continue
            offset = lag[one] - slope * at[one]
            votes = float(weight[np.abs(lag - offset - slope * at) <= close].sum())
            if votes > slanted[0] + 1e-9:
                slanted = votes, float(offset), float(slope)
    found = [level, slanted] if slanted[0] <= level[0] * _WORTH_IT else [slanted, level]
    lines = []
    for votes, offset, slope in found:
        line = _Line(offset, slope)
        line.windows = [one for one in rows if abs(one.lag - line.at(one.at)) <= close]
        if votes > 0 and len(line.windows) >= min(_LEAST, len(rows)):
            lines.append(_fitted(line) if slope else line)
    return lines


def _nearest(rows: list[_Window], line: _Line) -> list[_Window]:
    """Of the places of each stretch the one that is nearest to a line."""
    found: dict[int, _Window] = {}
    for one in rows:
        known = found.get(one.at)
        if known is None or abs(one.lag - line.at(one.at)) < abs(known.lag - line.at(one.at)):
            found[one.at] = one
    return list(found.values())


def _along(rows: list[_Window], slope: float, close: float) -> list[_Line]:
    """The line of a slope in most windows; none where it is in too few."""
    best: list[_Window] = []
    for one in rows:
        near = [each for each in rows if abs(each.lag - one.lag - slope * (each.at - one.at)) <= close]
        if sum(each.score for each in near) > sum(each.score for each in best):
            best = near
    if len(best) < min(_LEAST, max(1, len(rows))):
        return []
    offset = float(np.median([one.lag - slope * one.at for one in best]))
    return [_Line(offset, slope, best)]


@dataclass(slots=True)
class _Around:
    """Where windows are expected: on the line most agree in, or where they were found themselves."""

    line: _Line
    rows: list[_Window]

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
    windows: list[_Window],
    around: _Around,
    size: int,
    progress: Progress,
    share: float,
) -> _Line | None:
    """Find every window to the sample; the line most of them agree in."""
    ways: dict[int, list[_Window]] = {1: [], -1: []}

    def places(one: _Window) -> list[tuple[_Window, _Window]]:
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
    lines = _agreed(sure, _CLOSE)
    return replace(_fitted(lines[0]), sign=sign) if lines else None


def _fitted(line: _Line) -> _Line:
    """The line through its windows with the least squares; level where that is as good."""
    at = np.asarray([one.at for one in line.windows], np.float64)
    lag = np.asarray([one.lag for one in line.windows])
    if len(at) < _LEAST or np.abs(lag - np.median(lag)).max() <= 0.5:
        return replace(line, offset=float(np.median(lag)), drift=0.0)
    slope, offset = np.polyfit(at, lag, 1)
    return replace(line, offset=float(offset), drift=float(slope))


def _exactly(
    reference: Signal, other: Signal, at: int, lag: float, drift: float, size: int
) -> tuple[_Window, _Window]:
    """Where a window is, to parts of a sample, around an expected place: as it is, and upside down."""
    size = min(size, max(0, reference.length - at))
    silent = _Window(at, lag, loud=False)
    if size < 1024:
        return silent, silent
    samples = reference.read(at - 1, size + 1)
    if np.sqrt(np.square(samples).mean()) < _QUIET:
        return silent, silent
    ours = np.diff(samples)
    first = round(at + lag) - _MARGIN
    theirs = _stretched(other, first, size + 2 * _MARGIN, drift)
    full = _fast(size + 2 * _MARGIN)
    a, b = rfft(ours, full), rfft(theirs, full)
    cross = b * np.conj(a)
    cross /= np.maximum(np.abs(cross), 1e-12 * max(1e-30, float(np.abs(cross).max()))) ** _WHITE
    curve = irfft(cross, full)[: 2 * _MARGIN + 1]
    own = float(np.square(ours).sum())

    def found(sign: int) -> _Window:
        peak = int(np.argmax(sign * curve))
        there = theirs[peak : peak + size]
        power = own * float(np.square(there).sum())
        # Not as a product of vectors, which is shared out among threads and takes longer for it.
        alike = float(np.einsum("i,i", ours, there))
        score = sign * alike / np.sqrt(power) if power > 0 else 0.0
        return _Window(at, first + peak + _between_peaks(sign * curve, peak) - at, score)

    return found(1), found(-1)


def _between_peaks(curve: NDArray[np.float64], peak: int) -> float:
    """How far from its highest value the top of a curve is: that of the parabola through it and its
    neighbours."""
    if not 0 < peak < len(curve) - 1:
        return 0.0
    left, middle, right = (float(one) for one in curve[peak - 1 : peak + 2])
    bend = left - 2 * middle + right
    return 0.5 * (left - right) / bend if bend else 0.0


def _stretched(other: Signal, first: int, count: int, drift: float) -> Samples:
    """The differences of ``count`` samples from ``first``, read as much faster as the sound drifts, so that a
    window lies against the reference from end to end."""
    if not drift:
        return np.diff(other.read(first - 1, count + 1))
    at = first + (np.arange(-1, count) - _MARGIN) * (1 + drift) + _MARGIN
    low = int(np.floor(at[0]))
    data = other.read(low, int(np.ceil(at[-1])) - low + 2)
    return np.diff(np.interp(at - low, np.arange(len(data)), data))


def _told(reference: Signal, other: Signal, line: _Line, windows: list[_Window]) -> Measured:
    """What the windows say: where they leave the line for another one it is a step."""
    sure = sorted((one for one in windows if one.score >= _SURE), key=lambda one: one.at)
    parts: list[list[_Window]] = []
    for one in sure:
        apart = one.lag - line.drift * one.at
        if parts and abs(apart - _level(parts[-1], line.drift)) <= _CLOSE:
            parts[-1].append(one)
        else:
            parts.append([one])
    # Few windows alone are a line that was replaced, or a chance.
    parts = [part for part in parts if len(part) >= _LEAST or len(parts) == 1]
    joined: list[list[_Window]] = []
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


def _level(part: list[_Window], drift: float) -> float:
    return float(np.median([one.lag - drift * one.at for one in part]))


def _between(
    reference: Signal, other: Signal, places: tuple[int, int], lags: tuple[float, float], drift: float
) -> int:
    """From which sample on a sound does not follow the first lag any more: where what that leaves before and
    the second behind is the least."""
    low, high = places[0], min(places[1] + _WINDOW, reference.length)
    ours = np.diff(reference.read(low - 1, high - low + 1))
    left = []
    for lag in lags:
        theirs = _stretched(other, round(low + lag + drift * low), len(ours), drift)
        # As loud as it is about there.
        gain = _about(ours * theirs) / np.maximum(_about(ours * ours), 1e-18)
        left.append(np.square(theirs - gain * ours))
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
