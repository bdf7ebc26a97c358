"""A cut list as a document. Nothing in it says its rate, where its media begin, or how long they are."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction

from wexodos.formats.edl.lines import Code, Event, Line, List, code_of, read_lists
from wexodos.formats.errors import ReadError
from wexodos.formats.taken import Left, listed
from wexodos.model import (
    NORMAL,
    Constant,
    Curve,
    Document,
    Effect,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    Note,
    Sequence,
    Sound,
    Track,
    Transition,
    constant,
)
from wexodos.model.wipes import wipe_direction
from wexodos.timing import Exact, Rate, exact, floor

COLORS = {
    "RED": "#ff0000ff",
    "GREEN": "#00ff00ff",
    "BLUE": "#0000ffff",
    "CYAN": "#00ffffff",
    "MAGENTA": "#ff00ffff",
    "YELLOW": "#ffff00ff",
    "BLACK": "#000000ff",
    "WHITE": "#ffffffff",
    "ORANGE": "#ff8000ff",
    "PURPLE": "#8000ffff",
}
BLACK = ("BL", "BLACK")
_EVENT = re.compile(rb"(?m)^\s*\d{1,6}\s+\S.*\d{2}:\d{2}:\d{2}[:;.]\d{2}\s*$")


def matches(head: bytes) -> bool:
    """A text with a title, or with event lines."""
    if b"\0" in head[:4096] or head.lstrip()[:1] in (b"<", b"{"):
        return False
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()[:6].upper()
    return start == b"TITLE:" or _EVENT.search(head[:20000]) is not None


def read(data: bytes) -> Document:
    """Read a cut list. Raises ``ReadError``."""
    if len(data) > 64 << 20:
        raise ReadError("the list is too large")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    found = read_lists(text)
    if not any(one.events for one in found):
        raise ReadError("the list holds no events")
    return _Reader(found).document()


_HEAD_WORDS = re.compile(
    r"(TRACK|FRAME RATE|STARTS AT|ENDS AT|(VIDEO|AUDIO) TRACKS|NAME|FRAME SIZE|[VA]\d{1,3} NAME)\s*:",
    re.IGNORECASE,
)
_EVENT_WORDS = re.compile(
    r"(((FROM|TO) CLIP NAME|SOURCE FILE|(FROM|TO) FILE|COMMENT|EFFECT NAME)\s*:|LOC:|ASC_SOP|ASC_SAT"
    r"|FROM CLIP IS A STILL|(AUDIO|OPACITY) LEVEL AT |\(?.*FPS)",
    re.IGNORECASE,
)
"""Comments that are read, by how they begin: at the head of a list, and behind an event."""


@dataclass(slots=True)
class _Piece:
    """A stretch of a source on the record side; frames of the list's rate, the source from timecode zero."""

    start: int
    end: int
    reel: str
    source: Exact
    speed: Exact
    name: str
    file: str
    drop: bool
    channels: tuple[int, ...]
    event: Event
    join: tuple[str, int, int] | None = None
    outgoing: tuple[str, int, str, str] | None = None

    def follows(self, before: _Piece) -> bool:
        """Whether it goes on where another ends, in the cut and in its source, at normal speed."""
        return (
            self.join is None
            and self.reel == before.reel
            and self.start == before.end
            and self.speed == before.speed == 1
            and self.source == before.source + before.end - before.start
        )


class _Reader:
    def __init__(self, found: list[List]) -> None:
        self.lists = found
        self.notes: list[Note] = []
        self.media: dict[tuple[str, str], Media] = {}
        told = {
            key.strip().upper(): value.strip()
            for one in found
            for key, colon, value in (line.partition(":") for line in one.head)
            if colon
        }
        self.drop = any(one.drop for one in found)
        self.rate = self._rate(told.get("FRAME RATE", ""))
        self.told = told

    def _rate(self, told: str) -> Rate:
        try:
            rate = Rate.parse(told)
            if rate.fps <= 1000 and rate.fps.denominator in (1, 1001):
                return rate
        except ValueError:
            pass
        highest = max(
            (
                code.parts[3]
                for one in self.lists
                for event in one.events
                for line in event.lines
                for code in line.codes
            ),
            default=0,
        )
        rate = (
            Rate(30000, 1001)
            if self.drop
            else Rate(30)
            if highest >= 25
            else Rate(25)
            if highest == 24
            else Rate(24)
        )
        if highest >= 30:
            rate = Rate(60000, 1001) if self.drop else Rate(60) if highest >= 50 else Rate(50)
        self.notes.append(
            Note(
                "warning",
                "rate",
                "",
                f"a cut list does not say its rate; its codes fit {rate.label()} frames",
            )
        )
        return rate

    def document(self) -> Document:
        tracks: dict[tuple[str, int], list[_Piece]] = {}
        names: dict[tuple[str, int], str] = {}
        for one in self.lists:
            told = {
                key.strip().upper(): value.strip()
                for key, _, value in (line.partition(":") for line in one.head)
            }
            place = re.fullmatch(r"([VA])(\d{1,3})", told.get("TRACK", "").upper())
            for line in one.other:
                self.notes.append(Note("info", "line", one.title, f"this line is not understood: {line}"))
            for event in one.events:
                self._event(event, tracks, place, one.reels)
            for key, value in told.items():
                named = re.fullmatch(r"([VA])(\d{1,3}) NAME", key)
                if named:
                    names["video" if named.group(1) == "V" else "audio", int(named.group(2))] = value
        everything = [piece for pieces in tracks.values() for piece in pieces]
        first = self._code(self.told.get("STARTS AT", ""))
        start = min((piece.start for piece in everything), default=0) if first is None else first
        last = self._code(self.told.get("ENDS AT", ""))
        made: list[Track] = []
        for kind in ("video", "audio"):
            highest = max((number for which, number in tracks if which == kind), default=0)
            told_tracks = self.told.get("VIDEO TRACKS" if kind == "video" else "AUDIO TRACKS", "")
            highest = max(highest, min(int(told_tracks), 200) if told_tracks.isdigit() else 0)
            for number in range(1, highest + 1):
                items, joins = self._track(tracks.get((kind, number), []), kind, start, f"{kind[0]}{number}")
                made.append(Track(kind, tuple(items), tuple(joins), names.get((kind, number), "")))
        self._earliest(made)
        starts = {media.id: self.rate.seconds(media.start or 0) for media in self.media.values()}
        made = [
            replace(track, items=tuple(_from_its_start(item, starts) for item in track.items))
            for track in made
        ]
        markers = self._markers(start)
        title = (
            self.told.get("NAME", "")
            or next((one.title for one in self.lists if one.title), "")
            or "Cut list"
        )
        size = re.fullmatch(r"(\d{1,5}) x (\d{1,5})", self.told.get("FRAME SIZE", ""))
        sequence = Sequence(
            "sequence-1",
            title,
            self.rate,
            start,
            self.drop and self.rate.nominal % 30 == 0,
            int(size.group(1)) if size else None,
            int(size.group(2)) if size else None,
            tracks=tuple(made),
            markers=markers,
            stated_duration=max(0, last - start) if last is not None else None,
        )
        notes, kept = listed(list(self._untaken()), "edl")
        return Document(
            "edl",
            "CMX3600",
            (sequence,),
            tuple(self.media.values()),
            (*self.notes[:500], *notes),
            raw=kept,
        )

    def _untaken(self) -> Iterator[Left]:
        """Comments that say nothing this reader knows."""
        for one in self.lists:
            for text in one.head:
                if not _HEAD_WORDS.match(text):
                    yield Left(one.title, f"the line {text[:80]!r}", text)
            for event in one.events:
                for text in event.comments:
                    if not _EVENT_WORDS.match(text):
                        yield Left(f"event {event.lines[0].number}", f"the line {text[:80]!r}", text)

    def _earliest(self, tracks: list[Track]) -> None:
        """What a transition shows of a source before or behind its event is there too."""
        lowest: dict[str, int] = {}
        for track in tracks:
            joins = {one.cut: one for one in track.transitions}
            for item in track.items:
                if isinstance(item.content, MediaUse) and isinstance(item.speed, Constant) and not item.still:
                    before, after = joins.get(item.start), joins.get(item.end)
                    times = (
                        before.start - item.start if before else 0,
                        after.end - item.start if after else item.duration,
                    )
                    places = [
                        floor(self.rate.frames(item.source_in) + item.speed.rate * time) for time in times
                    ]
                    key = item.content.media
                    lowest[key] = max(0, min([*places, lowest.get(key, places[0])]))
        for name, media in self.media.items():
            if media.id in lowest:
                self.media[name] = replace(media, start=min(media.start or 0, lowest[media.id]))

    def _code(self, text: str) -> int | None:
        code = code_of(text)
        return code.frames(self.rate, self.drop) if code is not None else None

    # ---- events

    def _event(
        self,
        event: Event,
        tracks: dict[tuple[str, int], list[_Piece]],
        place: re.Match[str] | None,
        reels: dict[str, str],
    ) -> None:
        lines = event.lines
        names = _names(event)
        join = None
        outgoing = None
        if len(lines) > 1 and lines[-1].kind != "C":
            before, line = lines[-2], lines[-1]
            if before.codes[3].frames(self.rate, before.drop) > before.codes[2].frames(
                self.rate, before.drop
            ):
                self._put(tracks, place, before, names[0], event, None, None, reels)
            else:
                outgoing = (
                    before.reel,
                    before.codes[0].frames(self.rate, before.drop),
                    names[0][0],
                    names[0][1],
                )
            join = self._join(line)
        else:
            line = lines[-1]
            for other in lines[:-1]:
                self._put(tracks, place, other, names[0], event, None, None, reels)
            if line.kind != "C":
                join = self._join(line)
        self._put(tracks, place, line, names[1] if len(lines) > 1 else names[0], event, join, outgoing, reels)

    def _join(self, line: Line) -> tuple[str, int, int] | None:
        if line.kind == "D":
            return "dissolve", line.duration, 0
        wipe = re.fullmatch(r"W(R?)(\d{1,3})", line.kind)
        if wipe:
            return ("wipe-reverse" if wipe.group(1) else "wipe"), line.duration, int(wipe.group(2))
        self.notes.append(
            Note("warning", "key", f"event {line.number}", f"{line.kind} is a key, which is read as a cut")
        )
        return None

    def _put(
        self,
        tracks: dict[tuple[str, int], list[_Piece]],
        place: re.Match[str] | None,
        line: Line,
        told: tuple[str, str],
        event: Event,
        join: tuple[str, int, int] | None,
        outgoing: tuple[str, int, str, str] | None,
        reels: dict[str, str],
    ) -> None:
        source, source_end, start, end = (code.frames(self.rate, line.drop) for code in line.codes)
        speed, first = self._speed(event, line, source)
        if end <= start and not (speed == 0 and end == start):
            return
        if speed == 1 and source_end - source != end - start and line.reel.upper() not in BLACK:
            self.notes.append(
                Note(
                    "warning",
                    "length",
                    f"event {line.number}",
                    f"its source lasts {source_end - source} frames and its place {end - start}; the "
                    "place counts",
                )
            )
        reel = reels.get(line.reel, line.reel)
        drop = bool(line.codes[0].drop)
        picture, channels = _channels(line.channel, event.channels)
        number = int(place.group(2)) if place else 1
        if picture:
            tracks.setdefault(("video", number), []).append(
                _Piece(start, end, reel, first, speed, *told, drop, (), event, join, outgoing)
            )
        if channels:
            tracks.setdefault(("audio", number), []).append(
                _Piece(start, end, reel, first, speed, *told, drop, channels, event, join, outgoing)
            )

    def _speed(self, event: Event, line: Line, source: int) -> tuple[Exact, Exact]:
        """The speed of a line and its source boundary at its first frame."""
        chosen: str | None = None
        for reel, said, code in event.speeds:
            same = reel.upper() == line.reel.upper()[: len(reel)] if reel else False
            near = code is not None and code.frames(self.rate, bool(line.codes[0].drop)) == source
            if len(event.lines) == 1 or near or (same and chosen is None):
                chosen = said
        if chosen is None:
            return 1, source
        value = Fraction(chosen)
        finer = re.search(r"\(\s*([-+]?\d{1,4}\.\d{2,5})\s*FPS\s*\)", " ".join(event.comments), re.IGNORECASE)
        if finer and abs(Fraction(finer.group(1)) - value) <= Fraction(6, 100):
            value = Fraction(finer.group(1))
        pace = exact(value / Fraction(self.rate.nominal))
        return pace, source + 1 if pace < 0 else source

    # ---- tracks

    def _track(
        self, pieces: list[_Piece], kind: str, zero: int, key: str
    ) -> tuple[list[Item], list[Transition]]:
        pieces.sort(key=lambda piece: piece.start)
        items: list[Item] = []
        joins: list[Transition] = []
        for number, piece in enumerate(pieces):
            start, end = piece.start - zero, piece.end - zero
            if items and items[-1].end > start:
                last = items[-1]
                self.notes.append(
                    Note(
                        "warning",
                        "overlap",
                        piece.event.lines[-1].number,
                        "it overlaps the event before it; the later counts",
                    )
                )
                items.pop()
                if last.start < start:
                    items.append(replace(last, duration=exact(start - last.start)))
            black = piece.reel.upper() in BLACK
            if piece.join is not None and piece.join[1] > 0:
                after = pieces[number + 1] if number + 1 < len(pieces) else None
                made = self._transition(piece, after, start, end, items, kind, f"{key}.{number}")
                if made is not None:
                    join, shift = made
                    joins.append(join)
                    start += shift
                    piece = replace(piece, source=exact(piece.source + shift * piece.speed))
            if black or end <= start:
                continue
            last_item = items[-1] if items else None
            item = self._item(piece, start, end, kind, f"{key}.{number}")
            if (
                last_item is not None
                and last_item.end == item.start
                and _continues(last_item, item, self.rate, joins, pieces[number - 1])
            ):
                items[-1] = replace(last_item, duration=exact(last_item.duration + item.duration))
                self._through(piece)
            else:
                items.append(item)
        return items, joins

    def _transition(
        self,
        piece: _Piece,
        after: _Piece | None,
        start: int,
        end: int,
        items: list[Item],
        kind: str,
        key: str,
    ) -> tuple[Transition, int] | None:
        """A transition that begins on the edit; where what goes out is seen in it only, its cut is put to its
        end, or to its middle where what comes in ends with it."""
        assert piece.join is not None
        word, length, pattern = piece.join
        length = min(length, end - start)
        shift = 0
        last = items[-1] if items and items[-1].end == start else None
        if piece.outgoing is not None and piece.outgoing[0].upper() not in BLACK:
            reel, source, name, file = piece.outgoing
            continues = last is not None and _source_end(last, self.rate) == source
            same = last is not None and self._reel_of(last) == reel.upper()
            goes_on = after if after is not None and after.follows(piece) else None
            until = length if length < end - start or goes_on is not None else length // 2
            if not continues and not same and until:
                shown = replace(
                    piece,
                    end=piece.start + until,
                    reel=reel,
                    source=source,
                    speed=1,
                    name=name,
                    file=file,
                    join=None,
                    outgoing=None,
                    event=Event(piece.event.lines[:1]),
                )
                items.append(self._item(shown, start, start + until, kind, f"{key}o"))
                shift = until
                if goes_on is not None and until == end - start:
                    self._through(goes_on)
        sound = kind == "audio"
        made = Transition(
            f"{key}t",
            "Dissolve" if word == "dissolve" else "Wipe",
            "audio-linear" if sound else word.partition("-")[0],
            start,
            length,
            start + shift,
        )
        if not sound and pattern:
            made = replace(made, pattern=pattern, direction=wipe_direction(pattern, word == "wipe-reverse"))
        effect = next(
            (text[12:].strip() for text in piece.event.comments if text.upper().startswith("EFFECT NAME:")),
            "",
        )
        return replace(made, name=effect or made.name), shift

    def _through(self, piece: _Piece) -> None:
        self.notes.append(
            Note(
                "info",
                "through-edit",
                piece.event.lines[-1].number,
                "it goes on with the event before it, which lasts as long as its transition: one clip",
            )
        )

    def _reel_of(self, item: Item) -> str:
        media = next(
            (
                one
                for one in self.media.values()
                if isinstance(item.content, MediaUse) and one.id == item.content.media
            ),
            None,
        )
        return (media.reel or "").upper() if media is not None else ""

    def _item(self, piece: _Piece, start: int, end: int, kind: str, key: str) -> Item:
        media = self._medium(piece, kind)
        motion = Motion(fit="fit") if kind == "video" else None
        sound = Sound(piece.channels or (1,)) if kind == "audio" else None
        effects: tuple[Effect, ...] = ()
        notes: list[str] = []
        points: list[tuple[int, float]] = []
        shades: list[tuple[int, float]] = []
        slope = saturation = None
        for text in piece.event.comments:
            upper = text.upper()
            level = re.match(r"(AUDIO|OPACITY) LEVEL AT (\S+) IS ([-+]?[\d.]+|-INF)\s*(DB|%)?", upper)
            if level and code_of(level.group(2)) is not None:
                at = self._code(level.group(2))
                assert at is not None
                value = -96.0 if level.group(3) == "-INF" else float(level.group(3))
                (points if level.group(1) == "AUDIO" else shades).append((at - piece.start, value))
            elif upper.startswith("ASC_SOP"):
                slope = slope or _triples(text)
            elif upper.startswith("ASC_SAT"):
                number = re.search(r"[-+]?\d*\.?\d+", text[7:])
                saturation = float(number.group()) if number else None
            elif upper.startswith("COMMENT:"):
                notes.append(text.partition(":")[2].strip())
        if kind == "video":
            if slope or saturation is not None:
                triples = slope or ((1.0,) * 3, (0.0,) * 3, (1.0,) * 3)
                settings = tuple(
                    (name, Curve(value)) for name, value in zip(("slope", "offset", "power"), triples)
                )
                effects = (
                    Effect(
                        "ASC CDL",
                        "primaries",
                        settings=(
                            *settings,
                            ("saturation", constant(1.0 if saturation is None else saturation)),
                        ),
                    ),
                )
            if shades and motion is not None:
                motion = replace(motion, opacity=_points(shades, 0.01))
        elif points and sound is not None:
            sound = replace(sound, level=_points(points, 1.0))
        # From timecode zero; where the medium begins is known when all events have been seen.
        source = self.rate.seconds(piece.source)
        speed = NORMAL if piece.speed == 1 else Constant(piece.speed)
        name = piece.name or media.name
        return Item(
            key,
            name,
            start,
            end - start,
            MediaUse(media.id),
            0 if media.still else source,
            NORMAL if media.still else speed,
            True,
            motion,
            sound,
            effects=effects,
            note="; ".join(notes),
            drop_frame=piece.drop,
            still=media.still,
        )

    def _medium(self, piece: _Piece, kind: str) -> Media:
        plain = piece.file.replace("\\", "/")
        file = plain.rsplit("/", 1)[-1]
        reel = "" if piece.reel.upper() == "AX" else piece.reel
        key = (reel.upper(), file.lower() or ("" if reel else piece.name.lower()))
        known = self.media.get(key)
        first = int(min(piece.source, piece.source + piece.speed * (piece.end - piece.start)))
        if known is None:
            still = any(text.upper().startswith("FROM CLIP IS A STILL") for text in piece.event.comments)
            known = Media(
                f"m-{len(self.media) + 1}",
                file or piece.name or reel or "AX",
                plain if "/" in plain else None,
                reel or None,
                first,
                piece.drop,
                rate=self.rate,
                video=kind == "video",
                audio=kind == "audio",
                still=still,
            )
        # Where a medium begins stands nowhere: at the earliest place that is used of it, as far as anybody
        # can tell.
        known = replace(
            known,
            start=min(known.start or 0, first),
            video=known.video or kind == "video",
            audio=known.audio or kind == "audio",
        )
        self.media[key] = known
        return known

    def _markers(self, zero: int) -> tuple[Marker, ...]:
        # A list for the sound repeats the markers of that for the picture; two alike in one list are two.
        found: Counter[Marker] = Counter()
        for one in self.lists:
            found |= Counter(self._marked(one, zero))
        return tuple(sorted(found.elements(), key=lambda one: one.start))

    def _marked(self, one: List, zero: int) -> Iterator[Marker]:
        for event in one.events:
            for text in event.comments:
                mark = re.match(r"LOC:\s*(\S+)\s+(\S+)\s*(.*)", text, re.IGNORECASE)
                at = self._code(mark.group(1)) if mark else None
                if mark and at is not None:
                    name, _, comment = mark.group(3).partition(" | ")
                    yield Marker(
                        at - zero, 0, name.strip(), comment.strip(), COLORS.get(mark.group(2).upper())
                    )


def _names(event: Event) -> list[tuple[str, str]]:
    """(clip name, source file) of what goes out and of what comes in."""
    names, files = ["", ""], ["", ""]
    side = 0
    for text in event.comments:
        key, colon, value = text.partition(":")
        key, value = key.strip().upper(), value.strip()
        if not colon:
            continue
        if key == "FROM CLIP NAME":
            names[0], side = value, 0
        elif key == "TO CLIP NAME":
            names[1], side = value, 1
        elif key in ("SOURCE FILE", "FROM FILE"):
            files[side] = value
        elif key == "TO FILE":
            files[1] = value
    if len(event.lines) > 1:
        names[1] = names[1] or names[0]
        files[1] = files[1] or files[0]
    return [(names[0], files[0]), (names[1], files[1])]


def _channels(text: str, more: list[int]) -> tuple[bool, tuple[int, ...]]:
    """Whether a channel field names the picture, and which sound channels."""
    if text in ("NONE",):
        return False, tuple(sorted(set(more)))
    picture = text == "B" or "V" in text
    found: set[int] = set(more)
    for part in re.split(r"[/ ]", text):
        if part in ("B", "A", "A1", "VA", "VA1"):
            found.add(1)
        elif part in ("AA", "VAA"):
            found |= {1, 2}
        elif re.fullmatch(r"V?A\d{1,2}", part):
            found.add(int(part.lstrip("VA")))
    return picture, tuple(sorted(found))


def _points(pairs: list[tuple[int, float]], factor: float) -> Curve:
    values = [(at, value * factor) for at, value in sorted(pairs)]
    if len(values) == 1:
        return constant(values[0][1])
    return Curve((values[0][1],), tuple(Key(at, (value,)) for at, value in values))


def _triples(text: str) -> tuple[tuple[float, ...], ...] | None:
    numbers = [float(one) for one in re.findall(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?", text[7:])]
    return (tuple(numbers[:3]), tuple(numbers[3:6]), tuple(numbers[6:9])) if len(numbers) >= 9 else None


def _from_its_start(item: Item, starts: dict[str, Exact]) -> Item:
    if item.still or not isinstance(item.content, MediaUse):
        return item
    return replace(item, source_in=exact(item.source_in - starts[item.content.media]))


def _source_end(item: Item, rate: Rate) -> Exact:
    pace = item.speed.rate if isinstance(item.speed, Constant) else 1
    return exact(rate.frames(item.source_in) + pace * item.duration)


def _continues(last: Item, item: Item, rate: Rate, joins: list[Transition], before: _Piece) -> bool:
    """Whether an event only goes on with the one before it, which was as long as its transition."""
    if before.join is None or before.end - before.start != before.join[1]:
        return False
    return (
        last.content == item.content
        and last.speed == item.speed == NORMAL
        and last.source_in + rate.seconds(last.duration) == item.source_in
    )


__all__ = ["COLORS", "Code", "matches", "read"]
