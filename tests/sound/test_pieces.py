"""Pieces of sound for a turnover: stretches, handles, places, worked out by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from pathlib import Path

import numpy as np
import pytest
import soundfile

from wexodos.model import (
    Constant,
    Document,
    Generator,
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
from wexodos.sound.decode import facts
from wexodos.sound.making import samples
from wexodos.sound.piece import Piece, channel_name, stem_within, stretch
from wexodos.sound.pieces import Pieces, pieces, restored, sample_rate
from wexodos.timing import Rate

PAL, NTSC = Rate(25), Rate(30000, 1001)
BOOM = Media(
    "boom", "Boom 1.wav", None, "S1", 90_000, False, 800, PAL, channels=2, sample_rate=48000, audio=True
)


def heard(
    name: str, start: object, length: object, source: object, channels: tuple[int, ...] = (1,), **more: object
) -> Item:
    sound = Sound(channels)
    return Item(name, name, start, length, MediaUse("boom"), F(source), sound=sound, **more)  # type: ignore[arg-type]


def cut(
    *items: Item, joins: tuple[Transition, ...] = (), rate: Rate = PAL, media: Media = BOOM
) -> tuple[Document, Sequence]:
    sequence = Sequence("s", "Cut", rate, sample_rate=48000, tracks=(Track("audio", items, joins),))
    return Document("xmeml", "5", (sequence,), (media,)), sequence


def made(
    *items: Item,
    handles: object = 1,
    whole: bool = False,
    rate: Rate = PAL,
    samples: int = 48000,
    **more: object,
) -> Pieces:
    return pieces(*cut(*items, rate=rate, **more), samples, F(handles), whole, lambda _: None)  # type: ignore[arg-type]


def stretches(found: Pieces) -> list[tuple[object, int, tuple[int, ...]]]:
    return [(one.start, one.frames, one.channels) for one in found.pieces.values()]


def test_a_piece_is_the_clip_with_its_handles() -> None:
    # Two seconds from the fourth: from 3 to 7, an hour after midnight.
    found = made(heard("a", 10, 50, 4))
    (piece,) = found.pieces.values()
    assert piece == Piece("boom#1", "Boom 1-001", "boom", 3, 192_000, 48000, (1,), None, 3603 * 48000)
    item = found.sequence.tracks[0].items[0]
    assert (item.start, item.duration, item.source_in, item.content) == (10, 50, 1, MediaUse("boom#1"))
    assert found.missing == {"boom": "its sound was not found"} and found.sequence.sample_rate == 48000
    (medium,) = found.document.media
    assert (medium.id, medium.name, medium.channels, medium.duration, medium.path) == (
        "boom#1",
        "Boom 1-001",
        1,
        None,
        None,
    )


def test_handles_end_where_the_medium_does() -> None:
    # The medium has 32 seconds; 28.5 lies half a frame after 28.48, where a frame begins.
    assert stretches(made(heard("a", 0, 50, F(2, 5)))) == [(0, 163_200, (1,))]
    assert stretches(made(heard("a", 0, 50, F(59, 2)))) == [(F(712, 25), 168_960, (1,))]
    # What is used beyond the end stays used.
    assert stretches(made(heard("a", 0, 50, 31))) == [(30, 144_000, (1,))]
    unknown = replace(BOOM, duration=None)
    assert stretches(made(heard("a", 0, 50, 31), media=unknown)) == [(30, 192_000, (1,))]


def test_stretches_that_overlap_or_touch_are_one() -> None:
    pair = heard("a", 0, 50, 4, (1,)), heard("b", 50, 25, F(15, 2), (2,))
    # 4–6 and 7.5–8.5.
    assert stretches(made(*pair, handles=1)) == [(3, 6 * 48000 + 24000, (1, 2))]
    apart = made(*pair, handles=F(1, 2))
    assert stretches(apart) == [(F(87, 25), 144_960, (1,)), (7, 96_000, (2,))]
    touching = heard("a", 0, 50, 4), heard("b", 50, 25, 8)
    assert len(made(*touching, handles=1).pieces) == 1
    assert len(made(*touching, handles=F(24, 25)).pieces) == 2


def test_pieces_begin_where_a_frame_and_a_sample_meet() -> None:
    # At 25 frames every frame begins on a sample: the last frame before 3.01 s is at 3.
    assert stretches(made(heard("a", 0, 50, F(401, 100))))[0][0] == 3
    # At 29.97 a frame is 1601.6 samples: every fifth begins on one, every 0.16683 s. Five of these before 1 s.
    found = made(heard("a", 0, 60, 2), rate=NTSC)
    assert stretches(found)[0][0] == 5 * F(5005, 30_000)
    assert found.sequence.tracks[0].items[0].source_in == 2 - 5 * F(5005, 30_000)


def test_where_cuts_are_whole_frames_every_clip_begins_a_whole_frame_after_its_piece() -> None:
    # 4.01 s is frame 100.25; a second before it 75.25.
    found = made(heard("a", 0, 50, F(401, 100)), whole=True)
    assert stretches(found)[0][0] == F(301, 100)
    assert found.sequence.tracks[0].items[0].source_in * 25 == 25
    # Two clips that begin at other parts of a frame are never one piece.
    both = made(heard("a", 0, 50, F(401, 100)), heard("b", 50, 50, 4), whole=True)
    assert sorted(one.start for one in both.pieces.values()) == [3, F(301, 100)]
    assert len(made(heard("a", 0, 50, F(401, 100)), heard("b", 50, 50, 4)).pieces) == 1
    # Near the beginning it begins with the part of a frame.
    assert stretches(made(heard("a", 0, 50, F(1, 100)), whole=True))[0][0] == F(1, 100)


def test_a_crossfade_needs_the_sound_it_reaches_into() -> None:
    join = Transition("t", "Cross fade", "audio-linear", 45, 12, 50)
    first, second = heard("a", 0, 50, 4), heard("b", 50, 50, 10)
    joins = {50: join}
    # Seven frames on, five back.
    assert stretch(first, PAL, joins) == (4, 6 + F(7, 25))
    assert stretch(second, PAL, joins) == (10 - F(5, 25), 12)
    assert stretch(first, PAL, {}) == (4, 6)
    assert stretches(made(first, second, handles=0, joins=(join,))) == [
        (4, 48000 * 57 // 25, (1,)),
        (F(245, 25), 48000 * 55 // 25, (1,)),
    ]


def test_the_stretch_of_a_ramp_holds_its_turning_points() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(10, 9), SpeedPoint(50, 5)))
    assert stretch(heard("a", 0, 50, 0, speed=ramp), PAL, {}) == (4, 9)
    assert stretch(heard("a", 0, 50, 4, speed=Constant(-1)), PAL, {}) == (2, 4)
    assert stretch(heard("a", 0, 50, 4, speed=Constant(0)), PAL, {}) == (4, 4)


@pytest.mark.parametrize(
    ("speed", "source", "start", "frames", "skipped"),
    [
        # Twice as fast from 4: a second before the clip is two of the source.
        (2, 4, 2, 192_000, 1),
        # Only one second of source before it: half a second of lead, down to 12 whole frames.
        (2, 1, F(1) - 2 * F(12, 25), 48000 * 87 // 25, F(12, 25)),
        # Half as fast from 4.
        (F(1, 2), 4, F(7, 2), 192_000, 1),
        # Backwards from 4 to 2: the lead lies behind it in the source.
        (-1, 4, 5, 192_000, 1),
        # Backwards from 2.5 to 0.5: half a second is left.
        (-1, F(5, 2), F(7, 2), 168_000, 1),
        # Twice as fast up to 30.5: 0.75 s of the cut are left of the source.
        (2, F(53, 2), F(49, 2), 48000 * 15 // 4, 1),
    ],
)
def test_a_clip_at_another_speed_is_rendered_with_the_handles_its_medium_has(
    speed: object, source: object, start: object, frames: int, skipped: object
) -> None:
    found = made(heard("a", 0, 50, source, speed=Constant(F(speed))))  # type: ignore[arg-type]
    (piece,) = found.pieces.values()
    assert (piece.pace, piece.start, piece.frames) == (speed, start, frames)
    assert piece.name == "Boom 1-speed-001" and piece.origin is None
    item = found.sequence.tracks[0].items[0]
    assert (item.source_in, item.speed, item.duration) == (skipped, Constant(1), 50)


def test_what_comes_back_is_said_of_the_medium_again() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(50, 9)))
    items = (
        heard("a", 0, 50, 4),
        heard("b", 50, 50, 8, speed=Constant(2)),
        heard("c", 100, 50, 4, speed=ramp),
    )
    document, sequence = cut(*items)
    found = pieces(document, sequence, 48000, 1, False, lambda _: None)
    names = {piece.id: channel_name(piece, 1) for piece in found.pieces.values()}
    told = ("Kiln roar-001.A1", "bells-speed-012.A2", "Dialogue.A1", "take-001")
    assert [stem_within(one) for one in told] == ["Kiln roar", "bells", "Dialogue.A1", "take-001"]
    told = tuple(replace(one, name=names[one.id]) for one in found.document.media)
    back = restored(replace(found.document, media=told), found.pieces, document)
    assert [(one.source_in, one.speed, one.duration) for one in back.sequences[0].items()] == [
        (one.source_in, one.speed, one.duration) for one in items
    ]
    assert {media.name for media in back.media} == {"Boom 1.wav"}


def test_the_rate_is_that_of_the_cut_or_the_highest_of_the_media_in_use() -> None:
    document, sequence = cut(heard("a", 0, 50, 4))
    fast = replace(document, media=(replace(BOOM, sample_rate=96_000), Media("x", "x", sample_rate=192_000)))
    untold = replace(sequence, sample_rate=None)
    assert sample_rate(fast, untold, 0) == 96_000 and sample_rate(fast, untold, 44_100) == 44_100
    assert sample_rate(fast, replace(sequence, sample_rate=48_000), 0) == 48_000
    assert sample_rate(fast, replace(sequence, sample_rate=48_000), 44_100) == 44_100
    silent = Document("", "", (), ())
    assert sample_rate(silent, Sequence("s", "Cut", PAL), 0) == 48_000


def test_sound_of_two_media_of_one_name_has_two_names() -> None:
    other = replace(BOOM, id="two")
    document, sequence = cut(heard("a", 0, 50, 4), replace(heard("b", 50, 50, 4), content=MediaUse("two")))
    found = pieces(replace(document, media=(BOOM, other)), sequence, 48000, 1, False, lambda _: None)
    assert [one.name for one in found.pieces.values()] == ["Boom 1-001", "Boom 1-1-001"]


def test_a_piece_to_the_end_of_its_medium_holds_whole_samples_and_all_that_is_used() -> None:
    # 100 frames of 30000/1001 are 3.3366… s: 160 160 samples. At 47 950 there are 159 993.16…
    medium = replace(BOOM, rate=NTSC, duration=100, start=None)
    whole = made(heard("a", 0, 50, F(1, 10)), handles=30, media=medium, rate=NTSC)
    assert stretches(whole) == [(0, 160_160, (1,))]
    odd = made(heard("a", 0, 50, F(1, 10)), handles=30, samples=47_950, media=medium, rate=NTSC)
    assert stretches(odd) == [(0, 159_993, (1,))]
    # What is used up to the last part of a sample is there all the same.
    used = made(heard("a", 0, 100, 0), handles=0, samples=47_950, media=medium, rate=NTSC)
    assert stretches(used) == [(0, 159_994, (1,))]


def test_sound_of_no_medium_stays_where_it_is() -> None:
    tone = Item("t", "Tone", 100, 25, Generator("tone", "Tone"), sound=Sound((1,)))
    found = made(heard("a", 0, 50, 4), tone)
    assert next(item for item in found.document.sequences[0].items() if item.id == "t") is tone
    assert len(found.pieces) == 1


def test_media_of_one_name_are_told_apart_by_a_number_of_their_own() -> None:
    other = replace(BOOM, id="b2", path="/k/two/Boom 1.wav")
    third = replace(BOOM, id="b3", path="/k/three/Boom 1.wav")
    items = tuple(
        replace(heard(key, 60 * at, 50, 4), content=MediaUse(medium))
        for at, (key, medium) in enumerate((("a", "boom"), ("b", "b2"), ("c", "b3")))
    )
    sequence = Sequence("s", "Cut", PAL, sample_rate=48000, tracks=(Track("audio", items),))
    found = pieces(
        Document("xmeml", "5", (sequence,), (BOOM, other, third)),
        sequence,
        48000,
        F(0),
        False,
        lambda _: None,
    )
    names = [piece.name for piece in found.pieces.values()]
    assert len(set(names)) == 3 and names[0] == "Boom 1-001"


def test_a_channel_that_a_file_does_not_have_is_silence(tmp_path: Path) -> None:
    path = tmp_path / "pair.wav"
    soundfile.write(path, np.full((4800, 2), 0.5), 48_000, subtype="PCM_16")
    told = facts(path)
    piece = Piece("p", "p", "m", 0, 4800, 48_000, (1, 2, 3), told, None)
    loud, silent = (np.concatenate(list(samples(piece, channel))) for channel in (2, 3))
    assert loud.tolist() == [0.5] * 4800 and silent.tolist() == [0.0] * 4800


@pytest.mark.parametrize(
    ("suffix", "subtype", "bits"),
    [
        ("wav", "PCM_U8", 8),
        ("aiff", "PCM_S8", 8),
        ("wav", "PCM_16", 16),
        ("wav", "PCM_24", 24),
        ("wav", "PCM_32", 32),
    ],
)
def test_the_bits_of_a_file_are_those_of_its_samples(
    tmp_path: Path, suffix: str, subtype: str, bits: int
) -> None:
    path = tmp_path / f"a.{suffix}"
    soundfile.write(path, np.zeros(480), 48_000, subtype=subtype)
    assert facts(path).bits == bits


def test_a_clip_of_a_medium_that_is_not_there_has_no_piece() -> None:
    document, sequence = cut(heard("a", 0, 50, 4))
    lost = replace(heard("b", 50, 50, 4), content=MediaUse("nowhere"))
    both = replace(sequence, tracks=(replace(sequence.tracks[0], items=(*sequence.tracks[0].items, lost)),))
    whole = replace(document, sequences=(both,))
    found = pieces(whole, both, 48_000, 0, False, lambda _media: None)
    assert len(found.pieces) == 1 and found.sequence.tracks[0].items[1].content == MediaUse("nowhere")
