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

from wexodos.formats.ascii_names import plain
from wexodos.ground.names import safe_name
from wexodos.model import NORMAL, Constant, Document, Item, Media, MediaUse, Sequence, Variable
from wexodos.model.speed import is_changed, source_at
from wexodos.sound.decode import Facts, facts
from wexodos.sound.errors import SoundError
from wexodos.sound.stamps import Stamp, stamp_of
from wexodos.timing import Exact, Rate, ceil, exact, floor


@dataclass(frozen=True, slots=True)
class Ramp:
    """A changing speed, in frames of ``rate``, that begins ``lead`` seconds after a piece does."""

    speed: Variable
    rate: Rate
    lead: Exact


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a medium: ``start`` seconds into it, ``frames`` samples at ``rate``; ``channels`` of it
    are used.

    ``file`` is where its sound is, None where it was not found; ``origin`` the time of its first sample in
    samples since midnight. ``pace`` is the speed it is rendered at: then ``start`` is where it begins in the
    medium, backwards below 0; a ``ramp`` is rendered as it goes, its times counted from ``lead`` seconds
    after the first sample. ``stamp``: what the recorder said of itself.
    """

    id: str
    name: str
    media: str
    start: Exact
    frames: int
    rate: int
    channels: tuple[int, ...]
    file: Facts | None
    origin: int | None
    pace: Exact = 1
    stamp: Stamp | None = None
    ramp: Ramp | None = None

    @property
    def as_it_is(self) -> bool:
        """Whether it plays as it was recorded."""
        return self.pace == 1 and self.ramp is None


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
                if is_changed(item.speed):
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
            stem = _stem(media)
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
            stamp = _stamp(told, items)
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
        vary = _ramped if isinstance(item.speed, Variable) else _varied
        piece, skipped = vary(
            item, media, told, length, around, sequence.rate, rate, handles, f"{media.id}#{len(made) + 1}"
        )
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


def stretch(item: Item, rate: Rate, joins: Mapping[Exact, object]) -> tuple[Exact, Exact]:
    """The stretch of the source, in seconds, that an item plays, transitions at its edges included."""
    before, after = joins.get(item.start), joins.get(item.end)
    low: Exact = getattr(before, "start", item.start) - item.start
    high: Exact = getattr(after, "end", item.end) - item.start
    times = [min(low, 0), max(high, item.duration)]
    if isinstance(item.speed, Variable):
        times += [point.time for point in item.speed.points if times[0] <= point.time <= times[1]]
    places = [source_at(item.speed, item.source_in, exact(time), rate)[0] for time in times]
    return min(places), max(places)


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


_LOGGED = {"SCENE": ("scene", "studio.scene"), "TAKE": ("shottake", "studio.shot")}
"""How the cut may call what iXML has a word for: the end of a key."""


def _stamp(told: Facts | None, items: list[Item]) -> Stamp | None:
    """What the recorder said of itself; scene and take as they were logged in the cut where it did not."""
    if told is None:
        return None
    stamp = stamp_of(Path(told.path))
    known = dict(stamp.words) if stamp is not None else {}
    logged = {
        word: value
        for word, endings in _LOGGED.items()
        for item in items
        for key, value in item.metadata
        if word not in known and value and key.endswith(endings)
    }
    if not logged:
        return stamp
    return replace(stamp or Stamp(told.rate), words=(*known.items(), *logged.items()))


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


def _varied(
    item: Item,
    media: Media,
    told: Facts | None,
    length: Exact | None,
    joins: Mapping[Exact, object],
    own: Rate,
    rate: int,
    handles: Exact,
    key: str,
) -> tuple[Piece, Exact]:
    """A piece that is rendered at the speed of its only clip, and how many seconds of it lie before that
    clip."""
    assert isinstance(item.speed, Constant)
    pace = item.speed.rate
    before, after = joins.get(item.start), joins.get(item.end)
    low = min(0, getattr(before, "start", item.start) - item.start)
    high = max(item.duration, getattr(after, "end", item.end) - item.start)

    def room(time: Exact, back: bool) -> Exact:
        """Seconds of the cut for which there is more of the source before or behind a time of the item."""
        place = exact(item.source_in + pace * own.seconds(time))
        to_first = back == (pace > 0)
        if to_first:
            return max(0, exact(Fraction(place) / abs(Fraction(pace))))
        return handles if length is None else max(0, exact(Fraction(length - place) / abs(Fraction(pace))))

    period = Fraction(rate * own.denominator, own.numerator).denominator
    lead = own.frames(min(handles, room(low, True))) - low
    lead = (
        floor(exact(Fraction(lead) / period)) * period
        if lead >= period
        else ceil(exact(Fraction(lead) / period)) * period
    )
    tail = own.frames(min(handles, room(high, False))) + high
    start = exact(item.source_in - pace * own.seconds(lead))
    frames = max(1, ceil(own.seconds(exact(lead + tail)) * rate))
    stem = _stem(media)
    channels = tuple(sorted((item.sound.channels if item.sound else ()) or (1,)))
    number = key.rsplit("#", 1)[-1]
    made = Piece(
        key,
        f"{stem}-speed-{int(number):03d}",
        media.id,
        start,
        frames,
        rate,
        channels,
        told,
        None,
        pace,
        _stamp(told, [item]),
    )
    return made, own.seconds(lead)


def _ramped(
    item: Item,
    media: Media,
    told: Facts | None,
    length: Exact | None,
    joins: Mapping[Exact, object],
    own: Rate,
    rate: int,
    handles: Exact,
    key: str,
) -> tuple[Piece, Exact]:
    """The same of a clip whose speed changes. It has no handles but what its transitions need: nobody says
    how a ramp would go on."""
    assert isinstance(item.speed, Variable)
    before, after = joins.get(item.start), joins.get(item.end)
    low = min(0, getattr(before, "start", item.start) - item.start)
    high = max(item.duration, getattr(after, "end", item.end) - item.start)
    # The clip begins right on a sample.
    period = Fraction(rate * own.denominator, own.numerator).denominator
    lead = ceil(exact(Fraction(-low) / period)) * period
    made, _ = _varied(replace(item, speed=Constant(2)), media, told, length, joins, own, rate, 0, key)
    made = replace(
        made,
        start=stretch(item, own, joins)[0],
        frames=max(1, ceil(own.seconds(exact(lead + high)) * rate)),
        pace=1,
        ramp=Ramp(item.speed, own, own.seconds(lead)),
    )
    return made, own.seconds(lead)


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


def _stem(media: Media) -> str:
    """What the files of a medium's pieces begin with: plain letters that every system takes."""
    return safe_name(plain(media.file_name.rsplit(".", 1)[0], 40).strip(" .") or "sound")


def channel_name(piece: Piece, channel: int) -> str:
    """The name of the file or stream that holds a channel of a piece."""
    return f"{piece.name}.A{channel}"
