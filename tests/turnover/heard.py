"""A mixer of its own for the tests: every sample of every clip, with formulas that are not the product's."""

from __future__ import annotations

import numpy as np

from wexodos.model import Curve, Document, Ease, Fade, Item, Sequence, Transition
from wexodos.model.speed import NORMAL
from wexodos.sound.decode import blocks, facts
from wexodos.sound.locate import Finder
from wexodos.timing import Rate

RATE = 48000
PAL = Rate(25)


def level(curve: Curve, frames: np.ndarray) -> np.ndarray:
    """Gain of a level: straight between its keys in decibels, or in gain where the curve says so."""
    if not curve.keys:
        return np.full(frames.shape, 10 ** (curve.still[0] / 20))
    assert all(key.ease is Ease.LINEAR for key in curve.keys)
    times, values = [float(key.time) for key in curve.keys], [key.value[0] for key in curve.keys]
    if curve.domain == "gain":
        return np.interp(frames, times, [10 ** (value / 20) for value in values])
    return 10 ** (np.interp(frames, times, values) / 20)


def rise(fade: Fade, elapsed: np.ndarray) -> np.ndarray:
    share = np.clip(elapsed / float(fade.duration), 0, 1)
    return share if fade.shape == "linear" else np.sin(share * np.pi / 2)


def mixed(document: Document, sequence: Sequence, finder: Finder) -> np.ndarray:
    """Mix every track through levels, pans, fades and crossfades; (samples, 2). Media at other rates are
    taken at the nearest sample, as this only serves where both sides have the same."""
    total = sequence.duration * RATE // 25
    bus = np.zeros((total, 2))
    for track in sequence.audio_tracks:
        joins = {one.cut: one for one in track.transitions}
        for item in track.items:
            if item.enabled and track.enabled and item.speed == NORMAL:
                _into(bus, document, item, joins, finder)
    return bus


def _into(
    bus: np.ndarray, document: Document, item: Item, joins: dict[object, Transition], finder: Finder
) -> None:
    sound, media = item.sound, document.media_by_id[item.content.media]
    assert sound is not None
    path = finder(media)
    assert path is not None, media
    before, after = joins.get(item.start), joins.get(item.end)
    start = before.start if before else item.start
    end = after.end if after else item.end
    first, last = round(start * RATE / 25), round(end * RATE / 25)
    frames = np.arange(first, last) * 25 / RATE - float(item.start)
    gain = level(sound.level, frames)
    if sound.fade_in:
        gain *= rise(sound.fade_in, frames)
    if sound.fade_out:
        gain *= rise(sound.fade_out, float(item.duration) - frames)
    for join, rising in ((before, True), (after, False)):
        if join is not None:
            share = np.clip((frames + float(item.start) - float(join.start)) / float(join.duration), 0, 1)
            share = share if rising else 1 - share
            gain *= np.sin(share * np.pi / 2) if join.type == "audio-equal-power" else share
    rate = facts(path).rate
    source = round((item.source_in - (item.start - start) / 25) * rate)
    pan = sound.pan.still[0] if sound.pan is not None else 0.0
    for place, channel in enumerate(sound.channels):
        if channel in sound.muted:
            continue
        side = min(max((-1.0, 1.0)[place] + pan, -1), 1) if len(sound.channels) == 2 else pan
        data = np.concatenate(list(blocks(path, min(channel, facts(path).channels), source, last - first)))
        bus[first:last, 0] += data * gain * (1 - side) / 2
        bus[first:last, 1] += data * gain * (1 + side) / 2


def difference(a: np.ndarray, b: np.ndarray) -> float:
    """The largest difference of two mixes, in dB of full scale."""
    return float(20 * np.log10(np.abs(a - b).max() + 1e-12))
