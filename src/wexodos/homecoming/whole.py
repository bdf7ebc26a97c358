"""A movie of the whole cut that came back: found by its pictures, laid on a track of its own – below the
titles where they are not in it, above everything where they are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress
from wexodos.ground.errors import ReadError
from wexodos.ground.names import fresh
from wexodos.homecoming.events import Event
from wexodos.homecoming.ways import medium_of
from wexodos.media import Probed
from wexodos.model import Constant, Document, Item, Media, MediaUse, Motion, Sequence, Title, Track
from wexodos.screening.align import Aligned, By, Piece, aligned
from wexodos.screening.cut_view import CutView, stretches
from wexodos.screening.film import Film, Reader
from wexodos.screening.geometry import shape_of
from wexodos.timing import Exact, exact, floor

WHOLE = "whole"
"""What a person says of such a movie."""
_MOST_OF = Fraction(4, 5)
"""A movie that is not as long as so much of the cut is none of the whole."""
MOST = 4
"""Of so many movies that do not say what they are it is looked whether they are of the whole; more are
something else."""
_SURE = 0.6
"""Its pictures must be so like those of the cut."""
_LINES = 180
"""Titles are looked for in pictures so high."""
_MOST_TITLES = 7
_SEEN = 0.1
"""Where a title makes so much of a difference, of full scale, it is looked for."""
_LEAST_PIXELS = 12


@dataclass(frozen=True, slots=True)
class Whole:
    """A movie of the whole: its first picture stands at frame ``place`` of the cut by what it says of itself,
    and shows it ``offset`` frames late there. ``pieces`` is how it lies on the cut, ``titles`` whether the
    cut's are in it, None where it has none."""

    facts: Probed
    place: int
    offset: int
    pace: Fraction
    pieces: tuple[Piece, ...]
    by: By
    certainty: float
    titles: bool | None

    @property
    def path(self) -> Path:
        return Path(self.facts.path)

    @property
    def steps(self) -> list[tuple[int, int]]:
        """From which frames of the cut on it is how many frames later than before."""
        apart = ((one, other) for one, other in zip(self.pieces, self.pieces[1:]))
        return [(other.first, round((other.offset - one.offset) / self.pace)) for one, other in apart]


def says_it_is(facts: Probed, sequence: Sequence) -> bool:
    """Whether a movie says by its timecode that it begins with the cut, or before it, and goes on to its
    end."""
    begins = Fraction(sequence.rate.seconds(sequence.start))
    slack = Fraction(sequence.rate.seconds(1))
    start, lasts = facts.start_seconds, Fraction(sequence.rate.seconds(sequence.duration))
    return (
        start is not None
        and start <= begins + slack
        and start + (facts.length or 0) + slack >= begins + lasts
    )


def may_be_whole(facts: Probed, sequence: Sequence, there: list[Event]) -> bool:
    """Whether a movie is long enough to be of the whole cut, and is not rather of one of its events."""
    lasts = Fraction(sequence.rate.seconds(sequence.duration))
    longest = max((Fraction(one.item.duration) for one in there), default=Fraction(0))
    one_event = Fraction(sequence.rate.seconds(exact(longest))) * 2 > lasts
    long = facts.length is not None and Fraction(facts.length) >= lasts * _MOST_OF
    return long and len(there) > 1 and not one_event and not facts.frames


def looked_at(
    facts: Probed,
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    progress: Progress,
) -> Whole | None:
    """What a movie is of a cut; None where its pictures are not those of the cut."""
    view = CutView(document, sequence, locate)
    try:
        film = Film.of(Path(facts.path))
        lies = aligned(view, film, stretches(document, sequence), progress)
        if lies.certainty < _SURE:
            return None
        titles = _titled(view, film, lies)
    except ReadError:
        return None
    finally:
        view.close()
    place = 0
    if lies.timecode is not None:
        # Its first frame stands where its timecode says, if the cut is there at all.
        said = -floor(lies.timecode / lies.pace)
        inside = said < sequence.duration and said + floor(film.count / lies.pace) > 0
        place = said if inside else 0
    offset = place + round(lies.pieces[0].offset / lies.pace)
    return Whole(facts, place, offset, lies.pace, lies.pieces, lies.by, lies.certainty, titles)


def _titled(view: CutView, film: Film, lies: Aligned) -> bool | None:
    """Whether the titles of a cut are in a movie of it, by the most; None where there are none to be seen."""
    sequence = view.sequence
    titles = [
        item
        for track in sequence.tracks
        if track.kind == "video" and track.enabled
        for item in track.items
        if item.enabled and isinstance(item.content, Title)
    ]
    if not titles:
        return None
    ids = {item.id for item in titles}
    bare = replace(
        sequence,
        tracks=tuple(
            replace(
                one,
                items=tuple(replace(item, enabled=item.enabled and item.id not in ids) for item in one.items),
            )
            for one in sequence.tracks
        ),
        stated_duration=sequence.duration,
    )
    votes = []
    with Reader(film) as reader:
        for item in titles[:: -(-len(titles) // _MOST_TITLES)]:
            frame = floor(item.start + item.duration / Fraction(2))
            size = view.size(_LINES)
            tall = round(_LINES / lies.box.height)
            seen = reader.at(lies.place(frame), max(2, round(tall * shape_of(film))), tall)
            if seen is None or not 0 <= frame < sequence.duration:
                continue
            theirs = lies.box.of(seen, size).astype(np.float32) / np.float32(255)
            pair = view.composed(sequence, frame, _LINES), view.composed(bare, frame, _LINES)
            vote = _nearer(theirs, *pair)
            if vote is not None:
                votes.append(vote)
    return sum(votes) * 2 > len(votes) if votes else None


def _nearer(
    theirs: NDArray[np.float32], titled: NDArray[np.float32], bare: NDArray[np.float32]
) -> bool | None:
    """Whether a picture has what one of two has and the other has not: by the brightness there against that
    around it, whatever was done to colours; None where the two are alike."""
    difference = (titled - bare).mean(axis=2)
    there = np.abs(difference) > _SEEN
    if there.sum() < _LEAST_PIXELS:
        return None
    # As much of the difference as is in it: what is left of it beside what the picture is without.
    ours, own = bare.mean(axis=2), theirs.mean(axis=2)
    known = np.stack([ours.ravel(), np.ones(ours.size, np.float32), difference.ravel()], axis=1)
    (gain, _, share), *_ = np.linalg.lstsq(known, own.ravel(), rcond=None)
    return bool(share > 0.5 * max(gain, 0.2))


def laid_over(
    document: Document, sequence: Sequence, whole: Whole, corrected: bool, on: bool
) -> tuple[Document, Sequence]:
    """The cut with a movie of the whole on a track of its own, moved by what it is late only if
    ``corrected``."""
    ids = {one.id for one in document.media} | {one.id for one in sequence.items()}
    medium = medium_of(whole.facts, ids)
    media = list(document.media)
    heard = next((one for one in media if one.path == medium.path), None)
    if heard is not None:
        # Its sound lies there already: it is one medium.
        media.remove(heard)
        medium = replace(
            medium, id=heard.id, audio=True, channels=heard.channels, sample_rate=heard.sample_rate
        )
    rate = medium.rate or sequence.rate
    # Frames of the movie for one of the cut at normal speed are those of its rate.
    speed = whole.pace * Fraction(sequence.rate.fps) / Fraction(rate.fps)
    place = whole.place - (whole.offset if corrected else 0)
    start = max(0, place)
    length = Fraction(sequence.rate.frames(whole.facts.length or 0)) / speed
    last = min(sequence.duration, floor(place + length))
    source: Exact = exact(Fraction(sequence.rate.seconds(start - place)) * speed)
    fit = "none" if (medium.width, medium.height) == sequence.frame_size else "fit"
    item = Item(
        fresh(f"{medium.id}-item", ids),
        whole.path.stem,
        start,
        last - start,
        MediaUse(medium.id),
        source,
        speed=Constant(exact(speed)),
        motion=Motion(fit),
    )
    track = Track("video", (item,), name="Movie of the whole", enabled=on)
    tracks = list(sequence.tracks)
    places = [at for at, one in enumerate(tracks) if one.kind == "video"]
    if whole.titles is False:
        # Above the topmost track with something else than titles.
        places = [
            at for at in places if any(not isinstance(each.content, Title) for each in tracks[at].items)
        ]
    tracks.insert(max(places, default=-1) + 1, track)
    made = replace(sequence, tracks=tuple(tracks))
    within = tuple(made if one.id == made.id else one for one in document.sequences)
    return replace(document, media=(*media, medium), sequences=within), made


def track_of(whole: Whole, document: Document, sequence: Sequence) -> str:
    """The label of the track on which a movie of the whole was laid; empty where it is on none."""
    own = {one.id for one in document.media if one.path == str(whole.path.resolve())}
    return next(
        (
            label
            for label, track in sequence.labelled_tracks()
            if track.kind == "video"
            for item in track.items
            if isinstance(item.content, MediaUse) and item.content.media in own
        ),
        "",
    )
