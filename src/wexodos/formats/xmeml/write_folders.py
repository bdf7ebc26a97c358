"""Write folders, and the clips in them that no cut uses (1.4)."""

from __future__ import annotations

from collections.abc import Callable

from wexodos.formats.tree import Node, add
from wexodos.formats.xmeml.write_items import ItemWriter
from wexodos.formats.xmeml.write_parts import write_rate
from wexodos.model import Angles, Document, Media, MediaUse, Sequence
from wexodos.timing import round_half_up


def spare_media(document: Document) -> list[Media]:
    """The media that nothing in the document uses."""
    used: set[str] = set()
    for sequence in document.sequences:
        for item in sequence.items():
            if isinstance(item.content, MediaUse):
                used.add(item.content.media)
            elif isinstance(item.content, Angles):
                used.update(angle.media or "" for angle in item.content.angles)
    return [media for media in document.media if media.id not in used and not media.synthetic]


class Organiser:
    """Lays a project out: its folders, the clips in each, the cut in its own."""

    def __init__(self, document: Document, items: ItemWriter) -> None:
        self.document = document
        self.items = items
        self._bins: dict[str, Node] = {}

    def write(
        self, root: Node, sequences: list[Sequence], write_sequence: Callable[[Node, Sequence], None]
    ) -> None:
        """Write everything under one project. Clips come first: a file is spelled in full where it first
        stands."""
        sequence = sequences[0]
        project = add(root, "project")
        add(project, "name", sequence.name)
        top = add(project, "children")
        self.items.begin(sequence)
        spare = {media.id for media in spare_media(self.document)}
        for folder in self.document.folders:
            self._children(top, folder.path)
        for media in self.document.media:
            if media.id in spare or media.folder:
                self._clip(self._children(top, media.folder), media, sequence)
        for one in sequences:
            write_sequence(self._children(top, one.folder), one)

    def _children(self, top: Node, path: str | None) -> Node:
        """The ``children`` of the folder ``path``; those of the project where there is none."""
        if not path:
            return top
        known = self._bins.get(path)
        if known is None:
            around, _, name = path.rpartition("/")
            element = add(self._children(top, around), "bin")
            add(element, "name", name)
            known = self._bins[path] = add(element, "children")
        return known

    def _clip(self, parent: Node, media: Media, sequence: Sequence) -> None:
        clip = add(parent, "clip", id=f"clip-{media.id}")
        add(clip, "name", media.name)
        if media.duration is not None:
            add(clip, "duration", round_half_up(media.duration))
        write_rate(clip, media.rate or sequence.rate)
        add(clip, "ismasterclip", "TRUE")
        parts = add(clip, "media")
        if media.video or not media.audio:
            self._whole(add(add(parts, "video"), "track"), f"clip-{media.id}-v", media, sequence, None)
        if media.audio:
            audio = add(parts, "audio")
            for channel in range(1, (media.channels or 1) + 1):
                self._whole(add(audio, "track"), f"clip-{media.id}-a{channel}", media, sequence, channel)

    def _whole(self, track: Node, key: str, media: Media, sequence: Sequence, channel: int | None) -> None:
        """A medium from end to end, as the one clip of a track of its master clip (12)."""
        item = add(track, "clipitem", id=key)
        add(item, "name", media.name)
        add(item, "enabled", "TRUE")
        if media.duration is not None:
            add(item, "duration", round_half_up(media.duration))
        write_rate(item, media.rate or sequence.rate)
        if media.duration is not None:
            length = round_half_up(media.duration)
            for tag, value in (("start", 0), ("end", length), ("in", 0), ("out", length)):
                add(item, tag, value)
        self.items.file(item, media)
        if channel is not None:
            source = add(item, "sourcetrack")
            add(source, "mediatype", "audio")
            add(source, "trackindex", channel)
