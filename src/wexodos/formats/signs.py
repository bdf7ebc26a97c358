"""Names and notes as every program can hold them: signs that are no letters go out at the entrance, and are
said."""

from __future__ import annotations

from dataclasses import replace

from wexodos.ground.letters import name_of, words_of
from wexodos.model import Document, Item, Marker, Media, Note, Sequence, Track

Pairs = tuple[tuple[str, str], ...]


def with_letters(document: Document) -> Document:
    """The document with plain names and notes; a note says how many were changed, and which came first."""
    changed: list[str] = []
    slashed: list[str] = []
    nameless: list[str] = []

    def text(value: str, place: str, words: bool = False) -> str:
        made = words_of(value) if words else name_of(value)
        if made != value and made != value.strip():
            changed.append(f"{place}: {made[:40]!r}")
        return made

    def of_file(name: str, one: Media) -> str:
        """The name of a medium of which no path is known: a part of it is no folder."""
        name = name or ("unnamed" if one.name.strip() else "")
        made = name if one.path else name.replace("/", "-").replace("\\", "-")
        if made != name:
            slashed.append(f"{name!r} cannot be the name of a file; it counts as {made!r}")
        return made

    def labels(pairs: Pairs, place: str) -> Pairs:
        """Names and words of what is known of a thing besides; words without a name are left out and said."""
        made = tuple((text(key, place), text(value, place, True)) for key, value in pairs)
        nameless.extend(f"{place}: {value[:40]!r}" for key, value in pairs if not key.strip())
        named = tuple((key, value) for key, value in made if key)
        return pairs if named == pairs else named

    def marker(one: Marker, place: str) -> Marker:
        name, comment = text(one.name, place), text(one.comment, place, True)
        return one if (name, comment) == (one.name, one.comment) else replace(one, name=name, comment=comment)

    def item(one: Item, place: str) -> Item:
        name, note = text(one.name, place), text(one.note, place, True)
        marks = tuple(marker(mark, place) for mark in one.markers) if one.markers else one.markers
        told = labels(one.metadata, place) if one.metadata else one.metadata
        if (
            (name, note) == (one.name, one.note)
            and told is one.metadata
            and all(map(lambda a, b: a is b, marks, one.markers))
        ):
            return one
        return replace(one, name=name, note=note, markers=marks, metadata=told)

    def track(one: Track, place: str) -> Track:
        items = tuple(item(each, place) for each in one.items)
        name = text(one.name, place)
        if name == one.name and all(map(lambda a, b: a is b, items, one.items)):
            return one
        return replace(one, name=name, items=items)

    def sequence(one: Sequence) -> Sequence:
        name, note = text(one.name, one.id), text(one.note, one.id, True)
        tracks = tuple(track(each, f"{one.id}/{label}") for label, each in one.labelled_tracks())
        marks = tuple(marker(mark, one.id) for mark in one.markers)
        told = labels(one.metadata, one.id) if one.metadata else one.metadata
        before = (*(track for _, track in one.labelled_tracks()), *one.markers, one.metadata)
        if (name, note) == (one.name, one.note) and all(
            map(lambda a, b: a is b, (*tracks, *marks, told), before)
        ):
            return one
        return replace(one, name=name, note=note, tracks=tracks, markers=marks, metadata=told)

    def medium(one: Media) -> Media:
        name, reel = of_file(text(one.name, one.id), one), one.reel
        if reel:
            reel = text(reel, one.id) or None
        told = labels(one.metadata, one.id) if one.metadata else one.metadata
        if (name, reel) == (one.name, one.reel) and told is one.metadata:
            return one
        return replace(one, name=name, reel=reel, metadata=told)

    sequences = tuple(map(sequence, document.sequences))
    media = tuple(map(medium, document.media))
    if all(map(lambda a, b: a is b, (*sequences, *media), (*document.sequences, *document.media))):
        return document
    notes = document.notes
    if changed:
        others = f" and {len(changed) - 1} more" if len(changed) > 1 else ""
        said = "holds signs that are no letters, or too many; they are left out"
        notes = (
            *notes,
            Note("warning", "signs", changed[0].partition(":")[0], f"{changed[0]}{others} {said}"),
        )
    if nameless:
        others = f" and {len(nameless) - 1} more" if len(nameless) > 1 else ""
        said = "stands there under no name; it is left out"
        notes = (
            *notes,
            Note("warning", "signs", nameless[0].partition(":")[0], f"{nameless[0]}{others} {said}"),
        )
    notes = (*notes, *(Note("info", "file-name", "media", words) for words in slashed[:20]))
    return replace(document, sequences=sequences, media=media, notes=notes)
