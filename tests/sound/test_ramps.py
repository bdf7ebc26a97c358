"""Sound whose speed changes, held against the formula of a tone: what is heard at a time is the tone at the
place of the medium that the ramp reaches then."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from pathlib import Path

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    Sequence,
    Sound,
    SpeedPoint,
    Track,
    Transition,
    Variable,
)
from wexodos.model.speed import source_at
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.sound.making import samples
from wexodos.sound.pieces import pieces
from wexodos.timing import Rate

PAL, NTSC = Rate(25), Rate(30000, 1001)
TONE, LONG = 997.0, 20


def tone(seconds: NDArray[np.float64]) -> NDArray[np.float64]:
    return 0.5 * np.sin(2 * np.pi * TONE * seconds)


def boom(folder: Path, rate: int = 48000) -> Media:
    path = folder / f"Boom {rate}.wav"
    soundfile.write(path, tone(np.arange(LONG * rate) / rate), rate, subtype="DOUBLE")
    return Media(
        "boom", path.name, str(path), "S1", 0, False, LONG * 25, PAL, channels=1, sample_rate=rate, audio=True
    )


def cut(
    media: Media, speed: Variable, rate: Rate = PAL, start: int = 0, join: int = 0
) -> tuple[Document, Sequence]:
    """A clip of 100 frames with a ramp; ``join`` frames of it before its start in a crossfade."""
    item = Item(
        "a", "Boom", start, 100, MediaUse("boom"), source_at(speed, 0, 0, rate)[0], speed, sound=Sound((1,))
    )
    joins = ()
    if join:
        joins = (Transition("t", "Crossfade", "audio-linear", start - join, 2 * join, start),)
    sequence = Sequence("s", "Kiln Night", rate, sample_rate=48000, tracks=(Track("audio", (item,), joins),))
    return Document("xmeml", "5", (sequence,), (media,)), sequence


def reached(
    points: list[tuple[float, float]], seconds: NDArray[np.float64], rate: float
) -> NDArray[np.float64]:
    """Where a ramp of straight lines is; before the first point and behind the last it goes on as there."""
    times, places = np.array([one[0] / rate for one in points]), np.array([one[1] for one in points])
    first, last = (np.diff(places)[[0, -1]] / np.diff(times)[[0, -1]]).tolist()
    inside = np.interp(seconds, times, places)
    inside = np.where(seconds < times[0], places[0] + (seconds - times[0]) * first, inside)
    return np.where(seconds > times[-1], places[-1] + (seconds - times[-1]) * last, inside)


RAMPS = [
    # Half as fast, then twice, then as recorded.
    [(0, 4.0), (40, 4.8), (70, 7.2), (100, 8.4)],
    # Backwards from the middle on, then still.
    [(0, 4.0), (50, 7.0), (75, 6.0), (100, 6.0)],
]


@pytest.mark.parametrize("points", RAMPS, ids=["forwards", "backwards and still"])
@pytest.mark.parametrize("file_rate", [48000, 44100])
@pytest.mark.parametrize("rate", [PAL, NTSC], ids=str)
@pytest.mark.sampled(8)
def test_a_ramp_sounds_as_the_tone_does_where_it_is(
    tmp_path: Path, points: list[tuple[int, float]], file_rate: int, rate: Rate
) -> None:
    speed = Variable(tuple(SpeedPoint(at, F(str(place))) for at, place in points))
    document, sequence = cut(boom(tmp_path, file_rate), speed, rate, 20, 10)
    made = pieces(document, sequence, 48000, F(1), False, lambda one: Path(one.path or ""))
    (piece,) = made.pieces.values()
    (item,) = made.sequence.items()
    assert item.speed != speed and item.duration == 100
    lead = float(item.source_in)
    # What the crossfade reaches into is there, and the clip begins right on a sample.
    assert item.source_in >= rate.seconds(10) and (item.source_in * 48000) % 1 == 0
    assert piece.frames >= (item.source_in + rate.seconds(100)) * 48000
    found = np.concatenate([*samples(piece, 1)])
    wanted = tone(reached(points, np.arange(piece.frames) / 48000 - lead, float(rate.fps)))
    # A hundredth of a second around each corner the pitch jumps, and with it what a band can hold.
    corners = [lead + at / float(rate.fps) for at, _ in points]
    even = np.all([np.abs(np.arange(piece.frames) / 48000 - one) > 0.01 for one in corners], axis=0)
    assert 20 * np.log10(np.abs(found - wanted)[even].max()) < -90
    assert np.abs(found - wanted).max() < 1e-3


def test_what_is_too_high_for_the_rate_is_taken_out_and_not_folded_down(tmp_path: Path) -> None:
    path, rate = tmp_path / "High.wav", 48000
    soundfile.write(
        path, 0.5 * np.sin(2 * np.pi * 15000 * np.arange(LONG * rate) / rate), rate, subtype="DOUBLE"
    )
    media = replace(boom(tmp_path), name=path.name, path=str(path))
    # Twice as fast 15 kHz would be 30 kHz, which would be heard as 18.
    document, sequence = cut(media, Variable((SpeedPoint(0, 2), SpeedPoint(50, 6), SpeedPoint(100, 8))))
    made = pieces(document, sequence, rate, F(0), False, lambda one: Path(one.path or ""))
    (piece,) = made.pieces.values()
    found = np.concatenate([*samples(piece, 1)])
    assert np.abs(found[2000:94_000]).max() < 1e-4
    assert np.abs(found[98_000:190_000]).max() > 0.49


@pytest.mark.parametrize(("reached", "made"), [(F(16 * 10, 25), True), (F(16 * 10, 25) + F(1, 1000), False)])
@pytest.mark.thorough
def test_of_a_ramp_faster_than_can_be_heard_nothing_is_made_and_it_is_said_before(
    tmp_path: Path, reached: F, made: bool
) -> None:
    # Ten frames at sixteen times the speed, or a little more.
    speed = Variable((SpeedPoint(0, 0), SpeedPoint(10, reached), SpeedPoint(100, 8)))
    document, sequence = cut(boom(tmp_path), speed)
    carried = carry_over(
        document, sequence, find_destination("mixing-omf"), locate=lambda one: Path(one.path or "")
    )
    assert carried.errors == 0
    (told,) = [one for one in carried.findings if one.what == "speed ramp"]
    assert (told.cause is Cause.SPEED_RENDERED) is made
    found = [piece for piece in carried.made.pieces.values() if piece.ramp is not None]
    assert len(found) == made
    for piece in found:
        assert len(np.concatenate([*samples(piece, 1)])) == piece.frames == 4 * 48000


ROUNDED = Variable((SpeedPoint(0, 4), SpeedPoint(40, 5, 6, 8), SpeedPoint(100, 8), SpeedPoint(180, 9)))


@pytest.mark.parametrize("name", ["mixing-aaf-embedded", "mixing-aaf-linked", "mixing-omf"])
@pytest.mark.parametrize(
    "speed",
    [
        *(Variable(tuple(SpeedPoint(at, F(str(place))) for at, place in points)) for points in RAMPS),
        ROUNDED,
        # Of which only a part is used: its turning points lie before and behind the clip too.
        Variable(tuple(replace(one, time=one.time - 30) for one in ROUNDED.points)),
    ],
    ids=["forwards", "backwards and still", "rounded", "a part"],
)
@pytest.mark.sampled(4)
def test_a_ramp_of_sound_is_rendered_for_a_mix_and_the_books_balance(
    tmp_path: Path, name: str, speed: Variable
) -> None:
    document, sequence = cut(boom(tmp_path), speed)
    destination = find_destination(name)
    carried = carry_over(document, sequence, destination, locate=lambda one: Path(one.path or ""))
    assert carried.errors == 0
    (told,) = [one for one in carried.findings if one.what == "speed ramp"]
    assert (told.cause, told.fate, told.minutes) == (Cause.SPEED_RENDERED, Fate.BAKED, 0)
    # The far side has a clip at its own speed; what was read back stands for the ramp again.
    (there,), (back,) = carried.read.top_level[0].items(), carried.returned_sequence.items()
    assert there.duration == 100 and isinstance(there.speed, Constant)
    for frame in range(101):
        ours, theirs = (source_at(one, 0, frame, PAL)[0] for one in (speed, back.speed))
        assert abs(ours - theirs) < 1e-9, frame
