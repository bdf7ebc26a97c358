"""Tracks, sequences and the document they stand in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from wexodos.model.content import Angles, MediaUse, NestedUse
from wexodos.model.items import Item, Marker, Transition
from wexodos.model.media import Media
from wexodos.model.raw import Raw
from wexodos.timing import Exact, Rate, Timecode, ceil


@dataclass(frozen=True, slots=True)
class Track:
    """Items in the order of their start; transitions apart, in the order of theirs. ``kind`` is ``video`` or
    ``audio``.

    ``output`` is the channel of the sequence, from 1, that the first channel of a sound track goes to.
    """

    kind: str
    items: tuple[Item, ...] = ()
    transitions: tuple[Transition, ...] = ()
    name: str = ""
    enabled: bool = True
    locked: bool = False
    stem: str | None = None
    raw: tuple[Raw, ...] = field(default=(), repr=False)
    output: int | None = None

    @property
    def role(self) -> str:
        """The stem, otherwise what the name says of one: without what a role may not hold and without a
        number at its end."""
        return self.stem or self.name.replace(",", " ").replace(".", " ").strip().rstrip("0123456789").strip()


@dataclass(frozen=True, slots=True)
class Sequence:
    """An edited sequence. ``start`` is its start timecode as a frame count; tracks run from the bottom up,
    video first.

    ``marked`` is the range that a person marked in it, from its first frame up to the one after its last.
    """

    id: str
    name: str
    rate: Rate
    start: int = 0
    drop_frame: bool = False
    width: int | None = None
    height: int | None = None
    pixel_aspect: Exact = 1
    field_order: str = "progressive"
    sample_rate: int | None = None
    bit_depth: int | None = None
    audio_layout: str | None = None
    tracks: tuple[Track, ...] = ()
    markers: tuple[Marker, ...] = ()
    top_level: bool = True
    stated_duration: Exact | None = None
    note: str = ""
    folder: str | None = None
    metadata: tuple[tuple[str, str], ...] = ()
    raw: tuple[Raw, ...] = field(default=(), repr=False)
    marked: tuple[int, int] | None = None

    @property
    def is_angle(self) -> bool:
        """Whether this is an edited angle of a multi-angle clip: a sequence for us, none for anybody who
        looks at the file."""
        return any(key == "angle of" for key, _ in self.metadata)

    @property
    def video_tracks(self) -> tuple[Track, ...]:
        return tuple(track for track in self.tracks if track.kind == "video")

    @property
    def audio_tracks(self) -> tuple[Track, ...]:
        return tuple(track for track in self.tracks if track.kind == "audio")

    def labelled_tracks(self) -> Iterator[tuple[str, Track]]:
        """Yield ("V1", track) … ("A1", track) …, from the lowest number up."""
        for letter, tracks in (("V", self.video_tracks), ("A", self.audio_tracks)):
            for number, track in enumerate(tracks, 1):
                yield f"{letter}{number}", track

    @property
    def content_end(self) -> Exact:
        """The end of the last item, in frames; 0 for an empty sequence."""
        return max((max(item.end for item in track.items) for track in self.tracks if track.items), default=0)

    @property
    def duration(self) -> int:
        """Length in whole frames: the end of the last thing, or the stated length if that is longer."""
        return ceil(max(self.content_end, self.stated_duration or 0))

    @property
    def frame_size(self) -> tuple[int, int]:
        """Frame width and height in pixels; 1920×1080 where the file says nothing."""
        return self.width or 1920, self.height or 1080

    def timecode(self, frame: int) -> Timecode:
        return Timecode(self.start + frame, self.rate, self.drop_frame)

    def items(self) -> Iterator[Item]:
        for track in self.tracks:
            yield from track.items


@dataclass(frozen=True, slots=True)
class Note:
    """Something a reader wants to say about a file. ``level`` is ``info``, ``warning`` or ``error``."""

    level: str
    code: str
    where: str
    text: str


@dataclass(frozen=True, slots=True)
class Folder:
    """A folder of media and sequences: ids of its members and its sub-folders' paths joined by ``/``."""

    path: str
    members: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Document:
    """All that stands in one sequence file. ``media`` and ``sequences`` are looked up by id."""

    format: str
    version: str
    sequences: tuple[Sequence, ...] = ()
    media: tuple[Media, ...] = ()
    notes: tuple[Note, ...] = ()
    folders: tuple[Folder, ...] = ()
    raw: tuple[Raw, ...] = field(default=(), repr=False)
    # Looked up for every item of a cut, so made once.
    _media: dict[str, Media] = field(default_factory=dict, init=False, repr=False, compare=False)
    _sequences: dict[str, Sequence] = field(default_factory=dict, init=False, repr=False, compare=False)

    @property
    def media_by_id(self) -> dict[str, Media]:
        if len(self._media) != len(self.media):
            self._media.update((media.id, media) for media in self.media)
        return self._media

    @property
    def sequences_by_id(self) -> dict[str, Sequence]:
        if len(self._sequences) != len(self.sequences):
            self._sequences.update((sequence.id, sequence) for sequence in self.sequences)
        return self._sequences

    @property
    def top_level(self) -> tuple[Sequence, ...]:
        return tuple(sequence for sequence in self.sequences if sequence.top_level)

    def reachable(self, sequence: Sequence) -> tuple[Sequence, ...]:
        """Return the sequences used inside ``sequence``, innermost first, without ``sequence`` itself.

        A use that would close a circle is passed over, so this ends for every input.
        """
        known, order, seen = self.sequences_by_id, [], {sequence.id}
        stack: list[tuple[Sequence, Iterator[str]]] = [(sequence, iter(_used(sequence)))]
        while stack:
            current, uses = stack[-1]
            following = next((use for use in uses if use in known and use not in seen), None)
            if following is None:
                stack.pop()
                if current is not sequence:
                    order.append(current)
            else:
                seen.add(following)
                stack.append((known[following], iter(_used(known[following]))))
        return tuple(order)


def _used(sequence: Sequence) -> list[str]:
    found = []
    for item in sequence.items():
        if not isinstance(item.content, MediaUse):
            found += nests_of(item)
    return list(dict.fromkeys(found))


def nests_of(item: Item) -> list[str]:
    """The ids of the sequences an item uses: a nested one, angles."""
    if isinstance(item.content, NestedUse):
        return [item.content.sequence]
    if isinstance(item.content, Angles):
        return [angle.sequence for angle in item.content.angles if angle.sequence]
    return []
