"""A document as cut lists: one list a track, all in one text; ``lists`` takes it apart into files.

Beyond the events, comment lines at the head say what the lists do not: rate, place and name of the track.
Every reader passes comments over.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from wexodos.formats.ascii_names import plain
from wexodos.formats.edl.reader import COLORS
from wexodos.formats.errors import WriteError
from wexodos.formats.spelling import Spelling
from wexodos.model import (
    Constant,
    Document,
    Effect,
    Item,
    Marker,
    Media,
    MediaUse,
    Sequence,
    Track,
    Transition,
)
from wexodos.timing import Exact, Rate, Timecode, ceil, exact, floor

LINE = "\r\n"
_MODES = {True: "DROP FRAME", False: "NON-DROP FRAME"}
REEL = 8
NAME_LENGTH, TRACK_LENGTH, MARKER_LENGTH = 63, 31, 1000
"""The most letters of names and of the words of a marker: what other formats of plain letters hold too."""


def write(document: Document, sequence_id: str, version: str, how: Spelling | None = None) -> bytes:
    """All lists of a sequence, one after the other. Raises ``WriteError`` for what only carry-over can settle
    before."""
    return (
        _Writer(document, document.sequences_by_id[sequence_id], how or Spelling())
        .text()
        .encode("ascii", "replace")
    )


def lists(data: bytes) -> list[tuple[str, bytes]]:
    """The lists of a text as (what tells them apart, bytes), the first without; each says of its own track
    only."""
    parts = [part for part in re.split(rb"(?m)^(?=TITLE:)", data) if part.strip()]
    made: list[tuple[str, bytes]] = []
    counts: dict[str, int] = {}
    for part in parts:
        track = re.search(rb"(?m)^\* TRACK: (\w+)", part)
        name = track.group(1).decode("ascii") if track else "list"
        counts[name] = counts.get(name, 0) + 1
        others = rb"(?m)^\* (?:(?:VIDEO|AUDIO) TRACKS|(?!%s NAME:)[VA]\d+ NAME):.*\r\n" % name.encode("ascii")
        own = re.sub(others, b"", part)
        tail = f" {name}" if counts[name] == 1 else f" {name} {counts[name]}"
        made.append((tail if made else "", own))
    return made


class _Writer:
    def __init__(self, document: Document, sequence: Sequence, how: Spelling) -> None:
        self.document, self.sequence, self.how = document, sequence, how
        self.reels = reels(document, sequence, how.long_reels)
        self.waiting = sorted(sequence.markers, key=lambda one: one.start)

    def text(self) -> str:
        rows: list[str] = []
        sequence = self.sequence
        title = plain(sequence.name, 70) or "Sequence"
        for label, track in sequence.labelled_tracks():
            if not track.items:
                continue
            events = list(self._events(track))
            for place in range(0, len(events), self.how.most_events):
                part = events[place : place + self.how.most_events]
                rows += [
                    f"TITLE:   {title}",
                    f"FCM: {_MODES[sequence.drop_frame]}",
                    "",
                    f"* TRACK: {label}",
                    f"* FRAME RATE: {sequence.rate}",
                ]
                rows += [f"* STARTS AT: {self._record(0)}", f"* ENDS AT: {self._record(sequence.duration)}"]
                rows += [
                    f"* VIDEO TRACKS: {len(sequence.video_tracks)}",
                    f"* AUDIO TRACKS: {len(sequence.audio_tracks)}",
                ]
                if sequence.width and sequence.height:
                    rows.append(f"* FRAME SIZE: {sequence.width} x {sequence.height}")
                rows += [
                    f"* {other} NAME: {_flat(one.name)}"
                    for other, one in sequence.labelled_tracks()
                    if one.name
                ]
                rows.append("")
                mode: bool | None = sequence.drop_frame
                for number, event in enumerate(part, 1):
                    for line in event:
                        counted = _mode(line) if sequence.rate.nominal % 30 == 0 else None
                        if counted not in (None, mode):
                            rows.append(f"FCM: {_MODES[bool(counted)]}")
                            mode = counted
                        rows.append(line.replace("\x00", f"{number:03d}"))
                rows.append("")
        if not rows:
            raise WriteError(
                f"{sequence.name or sequence.id}: there is nothing in it that a cut list could hold"
            )
        return LINE.join(rows) + LINE

    def _record(self, frame: Exact) -> str:
        return str(Timecode(self.sequence.start + floor(frame), self.sequence.rate, self.sequence.drop_frame))

    def _events(self, track: Track) -> Iterator[list[str]]:
        """The lines of each event; a null stands for its number."""
        joins = {one.cut: one for one in track.transitions}
        items = list(track.items)
        for place, item in enumerate(items):
            last = items[place - 1] if place else None
            before = last if last is not None and last.end == item.start else None
            join = joins.get(item.start)
            rows = self._item(track, item, before, join)
            yield rows + self._markers(item, items[place + 1] if place + 1 < len(items) else None)
            out = joins.get(item.end)
            if out is not None and not (place + 1 < len(items) and items[place + 1].start == item.end):
                yield self._to_black(track, item, out)

    def _item(self, track: Track, item: Item, before: Item | None, join: Transition | None) -> list[str]:
        rows = []
        channel = "V" if track.kind == "video" else _channel(item)
        if join is not None:
            if before is not None:
                at = self._source(before, before.duration)
                rows.append(
                    self._line(
                        self._reel(before),
                        channel,
                        "C",
                        0,
                        at,
                        at,
                        item.start,
                        item.start,
                        self._drop(before),
                    )
                )
            else:
                zero = str(Timecode(0, self.sequence.rate, False))
                rows.append(
                    self._plain(
                        "BL", channel, "C", "", zero, zero, self._record(item.start), self._record(item.start)
                    )
                )
        kind, length = ("C", 0) if join is None else (_kind(join), ceil(join.duration))
        start, end = self._source(item, 0), self._source(item, item.duration)
        rows.append(
            self._line(
                self._reel(item), channel, kind, length, start, end, item.start, item.end, self._drop(item)
            )
        )
        pace = item.speed.rate if isinstance(item.speed, Constant) else 1
        if pace != 1:
            value = float(pace * self.sequence.rate.nominal)
            rows.append(
                f"M2   {self._reel(item):<8}       {value:05.1f}                "
                f"{self._code(start, self._drop(item))}"
            )
        rows += _more_channels(item)
        if join is not None and before is not None:
            rows.append(f"* FROM CLIP NAME:  {_flat(before.name)}")
            rows += self._file("SOURCE FILE", before)
            rows.append(f"* TO CLIP NAME:  {_flat(item.name)}")
        else:
            rows.append(f"* {'TO' if join is not None else 'FROM'} CLIP NAME:  {_flat(item.name)}")
        rows += self._file("SOURCE FILE", item)
        for effect in item.effects:
            rows += _decision(effect)
        if item.still:
            rows.append("* FROM CLIP IS A STILL")
        if item.note:
            rows.append(f"* COMMENT: {_flat(item.note)}")
        return rows

    def _to_black(self, track: Track, item: Item, out: Transition) -> list[str]:
        channel = "V" if track.kind == "video" else _channel(item)
        at = self._source(item, item.duration)
        zero, length = str(Timecode(0, self.sequence.rate, False)), ceil(out.duration)
        black = str(Timecode(length, self.sequence.rate, False))
        return [
            self._line(self._reel(item), channel, "C", 0, at, at, item.end, item.end, self._drop(item)),
            self._plain(
                "BL",
                channel,
                _kind(out),
                f"{length:03d}",
                zero,
                black,
                self._record(item.end),
                self._record(item.end + length),
            ),
            *_more_channels(item),
            f"* FROM CLIP NAME:  {_flat(item.name)}",
        ]

    # ---- fields

    def _line(
        self,
        reel: str,
        channel: str,
        kind: str,
        length: int,
        start: int,
        end: int,
        into: Exact,
        out: Exact,
        drop: bool,
    ) -> str:
        return self._plain(
            reel,
            channel,
            kind,
            f"{length:03d}" if length else "",
            self._code(start, drop),
            self._code(end, drop),
            self._record(into),
            self._record(out),
        )

    def _plain(
        self, reel: str, channel: str, kind: str, length: str, start: str, end: str, into: str, out: str
    ) -> str:
        return f"\x00  {reel:<8} {channel:<5} {kind:<4} {length:>3} {start} {end} {into} {out}"

    def _code(self, frame: int, drop: bool) -> str:
        return str(Timecode(frame, self.sequence.rate, drop and self.sequence.rate.nominal % 30 == 0))

    def _media(self, item: Item) -> Media:
        media = (
            self.document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
        )
        if media is None:
            raise WriteError(f"{item.name or item.id}: {item.kind} has no form in a cut list")
        return media

    def _drop(self, item: Item) -> bool:
        media = self._media(item)
        drop = media.drop_frame if media.drop_frame is not None else item.drop_frame
        return self.sequence.drop_frame if drop is None else drop

    def _reel(self, item: Item) -> str:
        return self.reels[self._media(item).id]

    def _source(self, item: Item, time: Exact) -> int:
        """The source code at a time of an item, in frames of the list's rate from timecode zero."""
        zero = source_zero(self._media(item), self.sequence.rate)
        pace = item.speed.rate if isinstance(item.speed, Constant) else 1
        if item.still:
            return floor(zero) + floor(time)
        at = exact(zero + self.sequence.rate.frames(item.source_in) + pace * time)
        if pace == 0:
            return floor(at + exact(1, 1000)) + (1 if time else 0)
        return ceil(at) - 1 if pace < 0 and not time else floor(at + exact(1, 1000))

    def _file(self, key: str, item: Item) -> list[str]:
        media = self._media(item)
        return [f"* {key}: {listed_path(media)}"]

    def _markers(self, item: Item, following: Item | None) -> list[str]:
        """The markers up to the next event; those before the first hang on the first."""
        rows = []
        while self.waiting and (following is None or self.waiting[0].start < following.start):
            rows.append(self._marker(self.waiting.pop(0)))
        return rows

    def _marker(self, one: Marker) -> str:
        words = _flat(one.name) + (f" | {_flat(one.comment)}" if one.comment else "")
        return f"* LOC: {self._record(ceil(one.start))} {color_word(one.color):<7} {words}".rstrip()


def _mode(line: str) -> bool | None:
    """Whether the source side of an event's line counts drop frame; None for other lines and for black."""
    words = line.split()
    return ";" in words[-4] if line.startswith("\x00") and words[1] != "BL" else None


def _more_channels(item: Item) -> list[str]:
    """The line for channels that an event has no letters for."""
    more = [str(one) for one in (item.sound.channels if item.sound is not None else ()) if one > 2]
    return [f"AUD  {' '.join(more)}"] if more else []


def source_zero(media: Media, rate: Rate) -> Exact:
    """Frames of the list's rate from timecode zero to the first frame of a medium."""
    return (
        rate.frames(media.rate.seconds(media.start))
        if media.rate is not None and media.start is not None
        else 0
    )


def marker_color(color: str | None) -> str:
    """The colour that a marker of a colour has in a list: one of ten."""
    return COLORS[color_word(color)]


def color_word(color: str | None) -> str:
    """The colour word nearest to a colour."""
    if not color:
        return "RED"
    mine = [int(color[place : place + 2], 16) for place in (1, 3, 5)]
    return min(
        COLORS,
        key=lambda word: sum(
            (a - int(COLORS[word][place : place + 2], 16)) ** 2 for a, place in zip(mine, (1, 3, 5))
        ),
    )


def reels(document: Document, sequence: Sequence, long: bool) -> dict[str, str]:
    """A reel for every medium of a sequence: its own, else the stem of its file; each its own, eight
    characters unless ``long``."""
    found: dict[str, str] = {}
    owners: dict[str, str] = {}
    limit = 32 if long else REEL
    for media in document.media:
        stem = media.file_name.rsplit(".", 1)[0]
        word = (
            re.sub(r"[^A-Z0-9_]", "", plain(media.reel or stem).upper().replace(" ", "_").replace("-", "_"))
            or "REEL"
        )
        name = word[:limit]
        owner = media.reel or media.id
        number = 1
        while owners.setdefault(name, owner) != owner or name in ("AX", "BL", "BLACK"):
            name = f"{word[: limit - 2]}{number:02d}"
            number += 1
        found[media.id] = name
    return found


def listed_path(media: Media) -> str:
    """The path of a medium in the plain letters of a list; a name that has none of them goes by its id."""
    path = _flat(media.path or media.name)
    return path if path.replace("\\", "/").rsplit("/", 1)[-1].strip() else f"{path}{media.id}"


def _flat(text: str) -> str:
    return plain(text, 1000)


def _kind(join: Transition) -> str:
    if join.type == "wipe":
        back = join.direction in ("right to left", "bottom to top", "reverse", "anticlockwise") or (
            join.direction or ""
        ).startswith(("sides to", "edges to", "top and bottom to", "from bottom"))
        return f"{'WR' if back else 'W'}{join.pattern or 1:0{2 if back else 3}d}"
    return "D"


def _channel(item: Item) -> str:
    channels = item.sound.channels if item.sound is not None else (1,)
    low = [one for one in channels if one <= 2]
    return {(1,): "A", (2,): "A2", (1, 2): "AA"}.get(tuple(low), "NONE")


def _decision(effect: Effect) -> list[str]:
    """A colour decision as the two comments that carry it."""
    if effect.kind != "primaries" or not effect.settings or not effect.enabled:
        return []
    settings = {name: curve.still for name, curve in effect.settings}
    triples = [
        settings.get("slope", (1.0,) * 3),
        settings.get("offset", (0.0,) * 3),
        settings.get("power", (1.0,) * 3),
    ]
    shown = "".join("(" + " ".join(f"{one:.6f}" for one in triple) + ")" for triple in triples)
    return [f"* ASC_SOP: {shown}", f"* ASC_SAT: {settings.get('saturation', (1.0,))[0]:.6f}"]
