"""What stands before and after the cut: leader, slate, sync pops, and the timecode it starts at."""

from __future__ import annotations

from dataclasses import replace

from wexodos.ground.names import fresh
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Sound, Track, constant
from wexodos.tidy.choosing import moved
from wexodos.tidy.step import Line, Outcome, Render, TidyError, Values, counted, put, seconds, with_media
from wexodos.timing import Exact, Rate, Timecode, TimecodeError

POP_HERTZ, POP_LEVEL = 1000, -20.0
"""A sync pop is one frame of a tone of 1 kHz at -20 dBFS, with one white frame of picture."""
RATE = 48_000


def leader(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Slate and black before the first frame, sync pops at a set distance before it and after the last, black
    behind.

    Everything moves on by the leader; with ``keep`` the start timecode moves back by it, so that every frame
    keeps its timecode. Black is empty time. Slate and pops become files, as every program can show a picture
    file and play a sound file. A cut of sound only has no slate and no white frames, one of picture only no
    tones.
    """
    slate, black, distance, tail = (
        seconds(values[name], sequence, name) for name in ("slate", "black", "distance", "tail")
    )
    pops = values["pops"] == "yes"
    length = slate + black
    if pops and not 1 < distance <= black:
        raise TidyError("the sync pop must lie in the black: make the black longer than its distance")
    if pops and tail and tail <= distance:
        raise TidyError(
            "the sync pop after the last frame must lie in the black behind: make that longer than "
            "its distance"
        )
    end, rate = sequence.duration, sequence.rate
    wanted, keeps = values["keep"] == "yes", sequence.start >= length
    shifted = replace(
        sequence,
        tracks=tuple(_later(track, length) for track in sequence.tracks),
        markers=tuple(replace(one, start=one.start + length) for one in sequence.markers),
        marked=(sequence.marked[0] + length, sequence.marked[1] + length)
        if sequence.marked is not None
        else None,
        start=sequence.start - (length if wanted and keeps else 0),
        stated_duration=end + length + tail,
    )
    renders, lines = [], []
    pictures, sounds = list(shifted.video_tracks), list(shifted.audio_tracks)
    seen, heard = bool(pictures) or not sounds, bool(sounds) or not pictures
    ids = {one.id for one in document.media} | {one.id for one in sequence.items()}
    if slate and seen:
        made = Render(
            "slate", _still(sequence, fresh("slate", ids), "Slate.png"), words=slate_words(sequence)
        )
        renders.append(made)
        _lay(pictures, "video", _picture(made.media, 0, slate, "Slate"))
        lines.append(Line(0, 0, "V1", "Slate", "", f"{counted(slate, 'frame')} of slate"))
    if pops:
        white = Render(
            "flat", _still(sequence, fresh("pop-white", ids), "Sync pop.png"), words=("#ffffffff",)
        )
        tone = Render("tone", _tone(fresh("pop-tone", ids), rate), words=(str(POP_HERTZ), str(POP_LEVEL)))
        renders += [*([white] if seen else []), *([tone] if heard else [])]
        places = [length - distance] + ([length + end + distance - 1] if tail else [])
        for number, at in enumerate(places, 1):
            if seen:
                _lay(pictures, "video", _picture(white.media, at, 1, f"Sync pop {number}", number))
            for track in range(max(1, len(sounds)) if heard else 0):
                _lay(sounds, "audio", _pop(tone.media, at, f"Sync pop {number}", track, number), track)
            where = "before the first frame" if number == 1 else "after the last"
            lines.append(
                Line(
                    0 if number == 1 else end,
                    0 if number == 1 else end,
                    "V1" if seen else "A1",
                    f"Sync pop {number}",
                    "",
                    f"one frame{'' if seen else ' of tone'}, {values['distance']} s {where}",
                )
            )
    if not length and not tail:
        return Outcome(document, sequence, "nothing: leader and tail are empty")
    made_sequence = replace(shifted, tracks=(*pictures, *sounds))
    whole = with_media(put(document, made_sequence), [one.media for one in renders])
    lines.insert(
        0,
        Line(
            0,
            end,
            "",
            sequence.name,
            sequence.id,
            f"{counted(length, 'frame')} of leader, {counted(tail, 'frame')} behind",
        ),
    )
    if wanted and not keeps:
        why = "there is no timecode before 00:00:00:00; give the cut a later one first"
        lines.append(
            Line(0, end, "", sequence.name, sequence.id, "does not keep its timecode", why, grave=True)
        )
    effect = (
        f"{float(rate.seconds(length)):g} s before, {float(rate.seconds(tail)):g} s behind; starts at "
        f"{made_sequence.timecode(0)}, "
        f"the first frame is {made_sequence.timecode(length)}"
    )
    return Outcome(whole, made_sequence, effect, lines, renders, shift=length)


def slate_words(sequence: Sequence) -> tuple[str, ...]:
    """The facts of the job on its slate."""
    width, height = sequence.frame_size
    drop = " drop frame" if sequence.drop_frame else ""
    return (
        sequence.name,
        f"{sequence.timecode(0)} to {sequence.timecode(sequence.duration)}",
        f"{width} × {height}, {sequence.rate.label()} fps{drop}",
        f"{counted(sequence.duration, 'frame')}",
    )


def _later(track: Track, by: Exact) -> Track:
    joins = tuple(replace(one, start=one.start + by, cut=one.cut + by) for one in track.transitions)
    return replace(track, items=moved(track.items, by), transitions=joins)


def _still(sequence: Sequence, key: str, name: str) -> Media:
    width, height = sequence.frame_size
    return Media(
        key,
        name,
        f"/rendered/{name}",
        width=width,
        height=height,
        pixel_aspect=sequence.pixel_aspect,
        video=True,
        still=True,
    )


def _tone(key: str, rate: Rate) -> Media:
    name = "Sync pop.wav"
    return Media(
        key,
        name,
        f"/rendered/{name}",
        start=0,
        duration=1,
        rate=rate,
        channels=1,
        sample_rate=RATE,
        bit_depth=24,
        audio=True,
    )


def _picture(media: Media, at: int, length: int, name: str, number: int = 1) -> Item:
    return Item(
        f"{media.id}@{number}" if number > 1 else f"{media.id}-item",
        name,
        at,
        length,
        MediaUse(media.id),
        motion=Motion(),
        still=True,
    )


def _pop(media: Media, at: int, name: str, track: int, number: int) -> Item:
    return Item(
        f"{media.id}-{track + 1}@{number}", name, at, 1, MediaUse(media.id), sound=Sound((1,), constant(0))
    )


def _lay(tracks: list[Track], kind: str, item: Item, at: int = 0) -> None:
    """Put an item onto a track, which is made where there is none."""
    if not tracks:
        tracks.append(Track(kind))
    items = tuple(sorted((*tracks[at].items, item), key=lambda one: one.start))
    tracks[at] = replace(tracks[at], items=items)


def start_timecode(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Set the timecode of the first frame. Raises ``TidyError``."""
    label = values["start"].strip()
    if not label:
        return Outcome(document, sequence, "nothing: no timecode is given")
    try:
        code = Timecode.parse(label, sequence.rate, sequence.drop_frame if ";" not in label else None)
    except TimecodeError as error:
        raise TidyError(f"start timecode: {error}") from None
    made = replace(sequence, start=code.frames, drop_frame=code.drop_frame)
    if made == sequence:
        return Outcome(document, sequence, f"starts at {sequence.timecode(0)} already")
    line = Line(
        0,
        0,
        "",
        sequence.name,
        sequence.id,
        f"starts at {made.timecode(0)}",
        f"before: {sequence.timecode(0)}",
    )
    return Outcome(
        put(document, made), made, f"starts at {made.timecode(0)} instead of {sequence.timecode(0)}", [line]
    )
