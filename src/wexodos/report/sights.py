"""Small pictures for the report: what is seen at a finding, before and after."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from itertools import islice

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.carryover import Finding
from wexodos.ground import Progress
from wexodos.model import Sequence
from wexodos.picture import Composer, eight_bits
from wexodos.settling.vocabulary import Kind
from wexodos.timing import floor

HEIGHT = 90
_MOST = 400
"""Pictures of so many findings; a page of thousands would not open."""
_QUALITY = 80
_SEEN = frozenset(
    {
        Kind.CLIP,
        Kind.TRANSITION,
        Kind.SPEED,
        Kind.MOTION,
        Kind.OPACITY,
        Kind.TITLE,
        Kind.GENERATOR,
        Kind.FILTER,
        Kind.COLOUR,
        Kind.NESTED,
        Kind.ANGLES,
    }
)
"""What is found about these shows in the picture."""

Sights = dict[str, tuple[bytes, bytes]]
"""By the key of a finding: before and after, as JPEG."""


def sights(
    findings: Iterable[Finding],
    before: tuple[Composer, Sequence],
    after: tuple[Composer, Sequence],
    progress: Progress,
) -> Sights:
    """Compose the frame in the middle of each finding that is seen. Raises what ``progress`` does."""
    seen = (one for one in findings if one.track[:1] == "V" and one.kind in _SEEN and not one.closely)
    wanted = list(islice(seen, _MOST))
    known: dict[int, tuple[bytes, bytes]] = {}
    made: Sights = {}
    for number, one in enumerate(wanted):
        progress("pictures for the report", number / len(wanted))
        last = min(before[1].duration, after[1].duration) - 1
        frame = max(0, min(last, floor(Fraction(one.start + max(one.start, one.stop - 1)) / 2)))
        if frame not in known:
            known[frame] = _coded(*before, frame), _coded(*after, frame)
        made[one.key] = known[frame]
    return made


def _coded(composer: Composer, sequence: Sequence, frame: int) -> bytes:
    shown: NDArray[np.uint8] = eight_bits(composer.frame(sequence, frame, HEIGHT).picture)
    coded, data = cv2.imencode(
        ".jpg", cv2.cvtColor(shown, cv2.COLOR_RGBA2BGR), [cv2.IMWRITE_JPEG_QUALITY, _QUALITY]
    )
    return data.tobytes() if coded else b""
