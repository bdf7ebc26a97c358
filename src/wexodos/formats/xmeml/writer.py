"""Write a sequence (15, writer checklist)."""

from __future__ import annotations

from dataclasses import dataclass, field

from wexodos.formats.errors import WriteError
from wexodos.formats.tree import Node, add, document_bytes, put_back
from wexodos.formats.xmeml.coverage import key_of
from wexodos.formats.xmeml.write_folders import Organiser, spare_media
from wexodos.formats.xmeml.write_items import ItemWriter, write_words
from wexodos.formats.xmeml.write_parts import (
    Spelled,
    boolean,
    write_aspect,
    write_marker,
    write_rate,
    write_timecode,
)
from wexodos.formats.xmeml.write_titles import write_transition
from wexodos.model import Document, NestedUse, Raw, Sequence, Track, Transition
from wexodos.timing import Exact


def write(document: Document, sequence_id: str, version: str, how: object = None) -> bytes:
    """Return the file that holds one sequence and everything nested in it. Raises ``WriteError``."""
    return write_several(document, (sequence_id,), version)


def write_several(document: Document, sequence_ids: tuple[str, ...], version: str) -> bytes:
    """The same of several sequences; what is nested in two of them stands there once."""
    known = document.sequences_by_id
    if missing := [one for one in sequence_ids if one not in known]:
        raise WriteError(f"there is no sequence {missing[0]!r}")
    sequences = [known[one] for one in sequence_ids]
    root = Node("xmeml", attributes={"version": version})
    writer = _Writer(document)
    if any(media.folder for media in document.media) or spare_media(document):
        Organiser(document, writer.items).write(root, sequences, writer.sequence)
    else:
        for sequence in sequences:
            writer.sequence(root, sequence)
    for raw in document.raw:
        _put_back(root, raw)
    return document_bytes(root, "<!DOCTYPE xmeml>")


@dataclass(slots=True)
class Row:
    """A track as it will be spelled."""

    track: Track
    spelled: list[Spelled] = field(default_factory=list)
    output: int | None = None
    exploded: tuple[int, int] | None = None


class _Writer:
    def __init__(self, document: Document) -> None:
        self.document = document
        self.sequences = document.sequences_by_id
        self.written_sequences: set[str] = set()
        self.items = ItemWriter(document)

    def sequence(self, parent: Node, sequence: Sequence) -> None:
        """Write a sequence in full, or its id where it was written before."""
        element = add(parent, "sequence", id=sequence.id)
        if sequence.id in self.written_sequences:
            return
        self.written_sequences.add(sequence.id)
        add(element, "name", sequence.name)
        add(element, "duration", sequence.duration)
        write_rate(element, sequence.rate)
        write_timecode(element, sequence.start, sequence.rate, sequence.drop_frame)
        if sequence.marked is not None:
            add(element, "in", sequence.marked[0])
            add(element, "out", sequence.marked[1])
        media = add(element, "media")
        video = add(media, "video")
        width, height = sequence.frame_size
        shape = add(add(video, "format"), "samplecharacteristics")
        write_rate(shape, sequence.rate)
        add(shape, "width", width)
        add(shape, "height", height)
        write_aspect(shape, sequence.pixel_aspect)
        add(shape, "fielddominance", {"upper": "upper", "lower": "lower"}.get(sequence.field_order, "none"))
        rows = self._rows(sequence)
        links = _link_groups(rows)
        self.items.begin(sequence)
        for row in (row for row in rows if row.track.kind == "video"):
            self._track(video, row, sequence, links)
        audio = add(media, "audio")
        shape = add(add(audio, "format"), "samplecharacteristics")
        add(shape, "depth", sequence.bit_depth or 16)
        add(shape, "samplerate", sequence.sample_rate or 48000)
        outputs = add(audio, "outputs")
        for number in range(1, {"mono": 1, "surround": 6}.get(sequence.audio_layout or "", 2) + 1):
            group = add(outputs, "group")
            add(group, "index", number)
            add(group, "numchannels", 1)
            add(group, "downmix", 0)
            add(add(group, "channel"), "index", number)
        for row in (row for row in rows if row.track.kind == "audio"):
            self._track(audio, row, sequence, links)
        for marker in sequence.markers:
            write_marker(element, marker, 0)
        write_words(element, dict(sequence.metadata))
        for raw in sequence.raw:
            _put_back(element, raw)

    def _rows(self, sequence: Sequence) -> list[Row]:
        rows: list[Row] = []
        numbers = {"video": 0, "audio": 0}
        for track in sequence.tracks:
            width = 1
            if track.kind == "audio":
                width = (
                    max((len(item.sound.channels) if item.sound else 1 for item in track.items), default=1)
                    or 1
                )
            for channel in range(width):
                numbers[track.kind] += 1
                output = (numbers["audio"] - 1) % 2 + 1 if track.output is None else track.output + channel
                # A pair is told by its links; more channels only by saying that their tracks are one.
                exploded = (channel, width) if width > 2 else None
                row = Row(track, output=output if track.kind == "audio" else None, exploded=exploded)
                for item in track.items:
                    channels = item.sound.channels or (1,) if item.sound is not None else (None,)
                    if channel < len(channels):
                        key = item.id if channel == 0 else f"{item.id}-ch{channel + 1}"
                        row.spelled.append(
                            Spelled(item, channels[channel], track.kind, numbers[track.kind], key)
                        )
                rows.append(row)
        for row in rows:
            places = sorted(
                [(one.item.start, 1, number) for number, one in enumerate(row.spelled)]
                + [(transition.cut, 0, -1) for transition in row.track.transitions]
            )
            for position, (_, _, number) in enumerate(places, 1):
                if number >= 0:
                    row.spelled[number].index = position
        return rows

    def _track(self, parent: Node, row: Row, sequence: Sequence, links: dict[str, list[Spelled]]) -> None:
        element = add(parent, "track")
        if row.exploded is not None:
            place, total = row.exploded
            element.set("currentExplodedTrackIndex", str(place))
            element.set("totalExplodedTrackCount", str(total))
        track = row.track
        starts = {transition.cut: transition for transition in track.transitions}
        things: list[tuple[Exact, int, Spelled | Transition]] = [
            (one.item.start, 1, one) for one in row.spelled
        ]
        things += [(transition.cut, 0, transition) for transition in track.transitions]
        for _, _, thing in sorted(things, key=lambda entry: (entry[0], entry[1])):
            if isinstance(thing, Transition):
                outgoing = any(one.item.end == thing.cut for one in row.spelled)
                incoming = any(one.item.start == thing.cut for one in row.spelled)
                write_transition(element, thing, outgoing, incoming, track.kind, sequence.rate)
                continue
            item = thing.item
            into, out = starts.get(item.start), starts.get(item.end)
            group = links.get(thing.id, [])
            nested = None
            if isinstance(item.content, NestedUse):
                nested = self._nested
            self.items.item(element, thing.id, item, thing.channel, into, out, group, nested, track)
        add(element, "enabled", boolean(track.enabled))
        add(element, "locked", boolean(track.locked))
        if row.output is not None:
            add(element, "outputchannelindex", row.output)
        if track.name:
            add(element, "name", track.name)
        for raw in track.raw:
            _put_back(element, raw)

    def _nested(self, parent: Node, sequence_id: str) -> None:
        nested = self.sequences.get(sequence_id)
        if nested is None:
            add(parent, "sequence", id=sequence_id)
            return
        around = self.items.sequence
        self.sequence(parent, nested)
        self.items.begin(around)


def _link_groups(rows: list[Row]) -> dict[str, list[Spelled]]:
    """For every spelled item the list of all that belong to it, itself included."""
    groups: dict[str, list[Spelled]] = {}
    for row in rows:
        for one in row.spelled:
            groups.setdefault(one.item.link or one.item.id, []).append(one)
    return {one.id: members for members in groups.values() if len(members) > 1 for one in members}


def _put_back(parent: Node, raw: Raw) -> None:
    if raw.dialect == "xmeml":
        put_back(parent, raw, key_of)
