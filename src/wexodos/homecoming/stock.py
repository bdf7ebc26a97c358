"""What things of one cut show, brought into the document of another: media and nests that are not there."""

from __future__ import annotations

from dataclasses import replace

from wexodos.ground.names import fresh
from wexodos.model import Angles, Content, Document, Generator, MediaUse, NestedUse, Title

CONTENTS = (MediaUse, Title, Generator, NestedUse, Angles)
"""What can be laid again where it stood."""


class Stock:
    """The ``media`` and ``sequences`` of a document, to which those of the one that ``left`` are added as
    they are needed."""

    def __init__(self, left: Document, document: Document) -> None:
        self._left = left
        self.media, self.sequences = list(document.media), list(document.sequences)

    def content(self, content: Content) -> Content:
        """What an item shows, its medium or its nest brought along where it is not there."""
        if isinstance(content, MediaUse):
            return replace(content, media=self._medium(content.media))
        if isinstance(content, NestedUse):
            return replace(content, sequence=self._nest(content.sequence))
        if isinstance(content, Angles):
            angles = tuple(
                replace(
                    one,
                    media=self._medium(one.media) if one.media else one.media,
                    sequence=self._nest(one.sequence) if one.sequence else one.sequence,
                )
                for one in content.angles
            )
            return replace(content, angles=angles)
        return content

    def _medium(self, key: str) -> str:
        """The id of a medium of the cut that left."""
        media = self._left.media_by_id.get(key)
        if media is None:
            return key
        twin = next((one for one in self.media if one.path == media.path and one.name == media.name), None)
        if twin is None:
            twin = replace(media, id=fresh(media.id, {one.id for one in self.media}))
            self.media.append(twin)
        return twin.id

    def _nest(self, key: str) -> str:
        """The id of a nest of the cut that left; one that is still there is told by itself where it was
        changed."""
        was = self._left.sequences_by_id.get(key)
        if was is None:
            return key
        twin = next((one for one in self.sequences if one.id == was.id and one.name == was.name), None)
        if twin is None:
            made = replace(was, id=fresh(was.id, {one.id for one in self.sequences}))
            self.sequences.append(made)
            place = len(self.sequences) - 1
            tracks = tuple(
                replace(
                    track,
                    items=tuple(replace(item, content=self.content(item.content)) for item in track.items),
                )
                for track in was.tracks
            )
            twin = self.sequences[place] = replace(made, tracks=tracks)
        return twin.id
