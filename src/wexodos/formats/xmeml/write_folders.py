"""Write folders, and the clips in them that no cut uses (1.4)."""

from __future__ import annotations

from collections.abc import Callable

from wexodos.formats.build_xml import Element, add
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
        self._bins: dict[str, Element] = {}

    def write(
        self, root: Element, sequence: Sequence, write_sequence: Callable[[Element, Sequence], None]
    ) -> None:
        """Write everything under one project. Clips come first: a file is spelled in full where it first
        stands."""
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
        write_sequence(self._children(top, sequence.folder), sequence)

    def _children(self, top: Element, path: str | None) -> Element:
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

    def _clip(self, parent: Element, media: Media, sequence: Sequence) -> None:
        clip = add(parent, "clip", id=f"clip-{media.id}")
        add(clip, "name", media.name)
        if media.duration is not None:
            add(clip, "duration", round_half_up(media.duration))
        write_rate(clip, media.rate or sequence.rate)
        add(clip, "ismasterclip", "TRUE")
        self.items.file(
            add(
                add(add(add(clip, "media"), "video" if media.video or not media.audio else "audio"), "track"),
                "clipitem",
            ),
            media,
        )
