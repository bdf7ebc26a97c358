"""The pieces of sound a turnover takes along: what of each medium is used, with handles, each stretch once.

A piece is a new medium that stands for a stretch of an old one. It begins where a sample of the written rate
and, if that can be, a frame of the cut meet, so that whatever could be said of the old medium exactly can be
said of the piece exactly.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from wexodos.model import NORMAL, Constant, Document, Item, Media, MediaUse, Sequence, Variable
from wexodos.model.speed import makes_sound, source_at
from wexodos.sound.decode import Facts, facts
from wexodos.sound.errors import SoundError
from wexodos.sound.piece import Piece, channel_name, stamp_for, stem_of, stretch
from wexodos.sound.stamps import Stamp
from wexodos.sound.varied import Played, rendered
from wexodos.timing import Exact, Rate, ceil, exact, floor


@dataclass(frozen=True, slots=True)
class Pieces:
    """All pieces by the id of their new medium, the document that uses them, and the media whose sound was
    not found."""

    document: Document
    sequence: Sequence
    pieces: dict[str, Piece]
    missing: dict[str, str]


Locate = Callable[[Media], Path | None]


def sample_rate(document: Document, sequence: Sequence, wanted: int) -> int:
    """The rate of a turnover: the wanted one, else the cut's own, which the mix will have; where the cut
    says nothing, the highest of the media it uses, as upwards loses nothing."""
    if wanted or sequence.sample_rate:
        return wanted or sequence.sample_rate or 0
    used = {
        item.content.media
        for track in sequence.audio_tracks
        for item in track.items
        if isinstance(item.content, MediaUse)
    }
    rates = [media.sample_rate or 0 for media in document.media if media.id in used]
    return max(rates, default=0) or 48000


def pieces(
    document: Document, sequence: Sequence, rate: int, handles: Exact, whole_frames: bool, locate: Locate
) -> Pieces:
    """Cut the media of all sound into pieces with ``handles`` seconds on either side, limited by what the
    media has.

    ``whole_frames``: every clip begins on a whole frame after its piece, as where cuts are counted in frames.
    """
    known = document.media_by_id
    stretches: dict[tuple[str, Exact], list[tuple[Exact, Exact, Item, int]]] = defaultdict(list)
    varied: list[tuple[Item, Mapping[Exact, object]]] = []
    for number, track in enumerate(sequence.audio_tracks):
        joins = {one.cut: one for one in track.transitions}
        for item in track.items:
            if isinstance(item.content, MediaUse) and item.content.media in known:
                if makes_sound(item.speed, sequence.rate):
                    varied.append((item, joins))
                    continue
                low, high = stretch(item, sequence.rate, joins)
                part = exact(sequence.rate.frames(low) % 1) if whole_frames else 0
                stretches[item.content.media, part].append((low, high, item, number))
    made: dict[str, Piece] = {}
    homes: dict[int, tuple[str, Exact]] = {}
    missing: dict[str, str] = {}
    counts: dict[str, int] = defaultdict(int)
    stems: dict[str, str] = {}
    for (media_id, part), uses in stretches.items():
        media = known[media_id]
        told, length = _sound_of(media, locate, sequence.rate, missing)
        # Handles never run before the first sample, nor behind the last where the length is known.
        spans = []
        for low, high, item, _ in uses:
            begin = _aligned(max(min(low, 0), low - handles), rate, sequence.rate, part, whole_frames)
            end = high + handles if length is None else max(high, min(length, high + handles))
            spans.append((begin, end, item))
        for begin, stop, items in _joined(spans):
            counts[media_id] += 1
            key = f"{media_id}#{len(made) + 1}"
            stem = stem_of(media)
            if stems.setdefault(stem, media_id) != media_id:
                stem = f"{stem}-{len(stems)}"
                stems[stem] = media_id
            channels = tuple(
                sorted(
                    {
                        channel
                        for item in items
                        for channel in (item.sound.channels if item.sound else ()) or (1,)
                    }
                )
            )
            frames = max(1, ceil((stop - begin) * rate))
            if length is not None and stop == length:
                frames = max(1, floor((stop - begin) * rate))
                frames = max(
                    frames, ceil((max(stretch(item, sequence.rate, {})[1] for item in items) - begin) * rate)
                )
            stamp = stamp_for(told, items)
            made[key] = Piece(
                key,
                f"{stem}-{counts[media_id]:03d}",
                media_id,
                begin,
                frames,
                rate,
                channels,
                told,
                _origin(media, stamp, begin, rate),
                stamp=stamp,
            )
            for item in items:
                homes[id(item)] = (key, begin)
    for item, around in varied:
        media = known[item.content.media if isinstance(item.content, MediaUse) else ""]
        told, length = _sound_of(media, locate, sequence.rate, missing)
        clip = Played(item, media, told, length, around, sequence.rate)
        piece, skipped = rendered(clip, rate, handles, f"{media.id}#{len(made) + 1}")
        made[piece.id] = piece
        homes[id(item)] = (piece.id, skipped)
    tracks = tuple(
        replace(track, items=tuple(_moved(item, homes, made) for item in track.items))
        if track.kind == "audio"
        else track
        for track in sequence.tracks
    )
    cut = replace(sequence, tracks=tracks, sample_rate=rate)
    everything = tuple(document.media) + tuple(_medium(piece, known[piece.media]) for piece in made.values())
    still_used = {item.content.media for item in cut.items() if isinstance(item.content, MediaUse)}
    original = {one.id for one in document.media}
    replaced = {piece.media for piece in made.values()}
    kept = tuple(
        one for one in everything if one.id in still_used or (one.id in original and one.id not in replaced)
    )
    sequences = tuple(cut if one.id == sequence.id else one for one in document.sequences)
    return Pieces(replace(document, media=kept, sequences=sequences), cut, made, missing)


def _sound_of(
    media: Media, locate: Locate, rate: Rate, missing: dict[str, str]
) -> tuple[Facts | None, Exact | None]:
    place = locate(media)
    if place is None:
        missing[media.id] = "its sound was not found"
    else:
        try:
            told = facts(place)
            return told, exact(told.frames, told.rate)
        except SoundError as error:
            missing[media.id] = str(error)
    own = media.rate or rate
    return None, own.seconds(media.duration) if media.duration else None


def _origin(media: Media, stamp: Stamp | None, begin: Exact, rate: int) -> int | None:
    """Samples since midnight of a piece's first sample: by the recorder's own time reference, else by the
    timecode of the medium, which is no finer than a frame."""
    if stamp is not None and stamp.reference is not None:
        return max(0, floor((exact(stamp.reference, stamp.rate) + begin) * rate))
    if media.rate is None or media.start is None:
        return None
    return max(0, floor((media.rate.seconds(media.start) + begin) * rate))


def _joined(spans: list[tuple[Exact, Exact, Item]]) -> list[tuple[Exact, Exact, list[Item]]]:
    """Stretches that overlap or touch become one: clips of one source share their sound."""
    result: list[tuple[Exact, Exact, list[Item]]] = []
    for low, high, item in sorted(spans, key=lambda one: one[0]):
        if result and low <= result[-1][1]:
            start, stop, items = result[-1]
            result[-1] = (start, max(stop, high), [*items, item])
        else:
            result.append((low, high, [item]))
    return result


def _aligned(start: Exact, samples: int, rate: Rate, part: Exact, whole_frames: bool) -> Exact:
    """The last place at or before ``start`` where a piece can begin (see the module); not before the medium
    does."""
    if whole_frames and part:
        frames = floor(rate.frames(start) - part)
        return exact(rate.seconds(frames + part)) if frames + part >= 0 else exact(rate.seconds(part))
    # Every so many frames one begins right on a sample.
    period = Fraction(samples * rate.denominator, rate.numerator).denominator
    step = rate.seconds(period)
    count = floor(Fraction(start) / Fraction(step))
    return exact(count * step) if count >= 0 or start < 0 else 0


def _moved(item: Item, homes: dict[int, tuple[str, Exact]], made: dict[str, Piece]) -> Item:
    home = homes.get(id(item))
    if home is None:
        return item
    key, begin = home
    if not made[key].as_it_is:
        return replace(item, content=MediaUse(key), source_in=begin, speed=NORMAL)
    speed = item.speed
    if isinstance(speed, Variable):
        speed = Variable(tuple(replace(point, source=exact(point.source - begin)) for point in speed.points))
    return replace(item, content=MediaUse(key), source_in=exact(item.source_in - begin), speed=speed)


def _medium(piece: Piece, media: Media) -> Media:
    return replace(
        media,
        id=piece.id,
        name=piece.name,
        path=None,
        duration=None,
        video=False,
        audio=True,
        width=None,
        height=None,
        sample_rate=piece.rate,
        channels=len(piece.channels),
        bit_depth=None,
        still=False,
        metadata=(),
        raw=(),
        proxy_path=None,
    )


def restored(returned: Document, made: dict[str, Piece], original: Document) -> Document:
    """Say of the pieces in a file that was read back again what they stand for, so that it can be held
    against what went in."""
    names: dict[str, Piece] = {}
    for piece in made.values():
        for channel in piece.channels:
            names[channel_name(piece, channel)] = piece
    homes = {media.id: names[media.name] for media in returned.media if media.name in names}
    known = original.media_by_id
    kept = {media.id: media for media in returned.media if media.id not in homes}
    ids = {key: f"piece:{piece.media}" for key, piece in homes.items()}
    for piece in homes.values():
        kept[f"piece:{piece.media}"] = replace(known[piece.media], id=f"piece:{piece.media}")

    def back(item: Item) -> Item:
        if not isinstance(item.content, MediaUse) or item.content.media not in homes:
            return item
        piece = homes[item.content.media]
        if piece.ramp is not None:
            late = piece.ramp.rate.frames(exact(item.source_in - piece.ramp.lead))
            ramp = piece.ramp.speed
            if late:
                ramp = Variable(tuple(replace(one, time=exact(one.time - late)) for one in ramp.points))
            source, _ = source_at(ramp, 0, 0, piece.ramp.rate)
            return replace(item, content=MediaUse(ids[item.content.media]), source_in=source, speed=ramp)
        if piece.pace != 1:
            source = exact(piece.start + piece.pace * item.source_in)
            return replace(
                item, content=MediaUse(ids[item.content.media]), source_in=source, speed=Constant(piece.pace)
            )
        speed = item.speed
        if isinstance(speed, Variable):
            speed = Variable(
                tuple(replace(point, source=exact(point.source + piece.start)) for point in speed.points)
            )
        return replace(
            item,
            content=MediaUse(ids[item.content.media]),
            source_in=exact(item.source_in + piece.start),
            speed=speed,
        )

    sequences = tuple(
        replace(
            one, tracks=tuple(replace(track, items=tuple(map(back, track.items))) for track in one.tracks)
        )
        for one in returned.sequences
    )
    return replace(returned, sequences=sequences, media=tuple(kept.values()))
