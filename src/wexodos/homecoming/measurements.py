"""What was measured of what came: it need not be measured again when a person decides something else."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any

from wexodos.media import Probed
from wexodos.model import Document, Sequence

_MOST = 10_000


class Measurements:
    """Results by what they hang on; the oldest are forgotten."""

    def __init__(self) -> None:
        self._known: OrderedDict[Hashable, Any] = OrderedDict()

    def of(self, key: Hashable, measure: Callable[[], Any]) -> Any:
        """What was measured before, else what ``measure`` gives; nothing is kept where it raises."""
        if key not in self._known:
            self._known[key] = measure()
            if len(self._known) > _MOST:
                self._known.popitem(last=False)
        self._known.move_to_end(key)
        return self._known[key]


def of_cut(document: Document, sequence: Sequence) -> Hashable:
    """What measurements against a cut hang on: all that is in it, as one number."""
    shape = sequence.frame_size, sequence.pixel_aspect, sequence.rate, sequence.start, sequence.duration
    return hash((shape, sequence.tracks, document.media, document.sequences))


def of_file(facts: Probed) -> Hashable:
    """What they hang on of a file: where it is, and when it was written."""
    return facts.path, facts.size, facts.changed
