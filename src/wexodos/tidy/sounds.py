"""Sound tracks in an order that a mixer can use: channels of one source side by side, stems in their order
and named."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import Document, MediaUse, Sequence, Track
from wexodos.model.stems import stem_of
from wexodos.tidy.step import Line, Outcome, Values, counted, put, words_of


def channels_together(document: Document, sequence: Sequence, _values: Values) -> Outcome:
    """Tracks that hold channels of the same recordings at the same times stand side by side, lower channels
    first.

    The first track of each such group stays where it is in the order. Nothing is heard differently.
    """
    sounds = list(sequence.audio_tracks)
    holds = [
        {
            (item.content.media, item.start, item.end)
            for item in track.items
            if isinstance(item.content, MediaUse)
        }
        for track in sounds
    ]
    group = list(range(len(sounds)))
    for one in range(len(sounds)):
        for other in range(one):
            shared = holds[one] & holds[other]
            if (
                shared
                and 2 * len(shared) >= min(len(holds[one]), len(holds[other]))
                and not _same_channels(sounds[one], sounds[other])
            ):
                group[one] = group[other]
                break
    order = sorted(range(len(sounds)), key=lambda place: (group[place], _lowest(sounds[place]), place))
    return _reordered(
        document,
        sequence,
        order,
        "channels of one source stand together",
        "channels of one source stand together already",
    )


def _same_channels(one: Track, other: Track) -> bool:
    return _channels(one) == _channels(other)


def _channels(track: Track) -> set[int]:
    return {channel for item in track.items if item.sound is not None for channel in item.sound.channels}


def _lowest(track: Track) -> int:
    return min(_channels(track), default=0)


def stems_in_order(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Sound tracks in the order of their stems; tracks without one come last. With names, each is called by
    its stem and a number."""
    wanted = [one.lower() for one in words_of(values["order"])]
    stems = [stem_of(track) for track in sequence.audio_tracks]

    def place(number: int) -> tuple[int, int]:
        stem = stems[number]
        return (wanted.index(stem) if stem in wanted else len(wanted), number)

    order = sorted(range(len(stems)), key=place)
    made = _reordered(document, sequence, order, "in the order of their stems", "")
    if values["names"] != "yes":
        return (
            made
            if made.lines
            else Outcome(document, sequence, "sound tracks stand in the order of their stems already")
        )
    counts: dict[str, int] = {}
    tracks, lines = list(made.sequence.video_tracks), list(made.lines)
    for number, track in enumerate(made.sequence.audio_tracks, 1):
        stem = stem_of(track)
        if stem is None:
            tracks.append(track)
            continue
        counts[stem] = counts.get(stem, 0) + 1
        called = stem.capitalize()
        name = f"{called} {counts[stem]}"
        # A name tells the stem; one that the cut states itself is stated again.
        stated = called if track.stem else None
        if (track.name, track.stem) != (name, stated):
            lines.append(
                Line(0, 0, f"A{number}", track.name or f"A{number}", "", f"is called {name}", f"it is {stem}")
            )
        tracks.append(replace(track, name=name, stem=stated))
    if not lines:
        return Outcome(document, sequence, "sound tracks stand in order and are named by their stems already")
    whole = replace(made.sequence, tracks=tuple(tracks))
    named = len(lines) - len(made.lines)
    parts = [
        part
        for part in (
            f"{counted(len(made.lines), 'track')} moved" if made.lines else "",
            f"{counted(named, 'track')} named" if named else "",
        )
        if part
    ]
    return Outcome(put(document, whole), whole, f"{', '.join(parts)}: {', '.join(counts)}", lines)


def _reordered(document: Document, sequence: Sequence, order: list[int], why: str, already: str) -> Outcome:
    sounds = sequence.audio_tracks
    if order == list(range(len(sounds))):
        return Outcome(document, sequence, already)
    lines = [
        Line(0, 0, f"A{old + 1}", sounds[old].name or f"A{old + 1}", "", f"stands as A{new + 1}", why)
        for new, old in enumerate(order)
        if new != old
    ]
    made = replace(sequence, tracks=(*sequence.video_tracks, *(sounds[old] for old in order)))
    return Outcome(put(document, made), made, f"{counted(len(lines), 'track')} moved: {why}", lines)
