"""Which of several events a render is of, told by its pictures: frames of it against those of each, robust
against what was done to colours and sizes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress
from wexodos.homecoming.eye import Eye
from wexodos.homecoming.measurements import Measurements, of_cut, of_file
from wexodos.homecoming.renders import Candidate, Matched
from wexodos.homecoming.ways import medium_of, ways
from wexodos.media import Probed
from wexodos.model import Document, Item, Media, Sequence
from wexodos.picture import Frames

_MOST = 1500
"""So many times a render is held against an event, in all."""
_FEW = 4
"""So many that are likest at a glance are looked at closely."""
_LIKE, _CLEARER = 0.85, 0.5
"""A picture that correlates less is not its event's; of that of the next one so much may be lacking at the
most."""


class Sight:
    """Looks at renders nobody can tell otherwise; keeps files open, so close it."""

    def __init__(
        self,
        document: Document,
        sequence: Sequence,
        locate: Callable[[Media], Path | None],
        known: Measurements,
        progress: Progress,
    ) -> None:
        self._document, self._sequence, self._locate = document, sequence, locate
        self._known, self._progress = known, progress
        self._cut = of_cut(document, sequence)
        self._frames = Frames()
        self._before: dict[tuple[str, int], NDArray[np.float32] | None] = {}
        self._left = _MOST

    def close(self) -> None:
        self._frames.close()

    def tells(self, facts: Probed, candidates: list[Candidate]) -> Candidate | None:
        """The one whose pictures those of a render are; None where they are nobody's, or more than one's."""
        if not candidates or len(candidates) > self._left:
            return None
        self._left -= len(candidates)
        asked = tuple((one.event.item.id, one.head, one.by_source) for one in candidates)
        key = "sight", of_file(facts), self._cut, asked
        place = self._known.of(key, lambda: self._look(facts, candidates))
        return candidates[place] if place is not None else None

    def _look(self, facts: Probed, candidates: list[Candidate]) -> int | None:
        self._progress(f"looking at {Path(facts.path).name}", 0.0)
        medium = medium_of(facts, {one.id for one in self._document.media})
        within = replace(self._document, media=(*self._document.media, medium))
        eye = Eye(within, self._sequence, medium, self._locate, self._frames, self._before)

        def best(one: Candidate, look: Callable[[Item], float | None]) -> float:
            items = [way.item for way in ways(Matched(facts, one), medium, self._sequence)]
            return max((fit for item in items if (fit := look(item)) is not None), default=0.0)

        def glance(place: int) -> float:
            event = candidates[place].event
            return best(candidates[place], lambda item: eye.glance(event, item))

        def closely(place: int) -> float:
            event = candidates[place].event
            return best(candidates[place], lambda item: eye.aligned(event, item))

        likely = list(range(len(candidates)))
        if len(likely) > _FEW:
            likely = sorted(likely, key=glance, reverse=True)[:_FEW]
        fits = sorted(((closely(place), place) for place in likely), reverse=True)
        second = fits[1][0] if len(fits) > 1 else 0.0
        fit, place = fits[0]
        return place if fit > _LIKE and 1 - fit < (1 - second) * _CLEARER else None
