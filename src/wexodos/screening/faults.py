"""What explains that frames of a movie are not as the cut has them: each thing that may be otherwise is
tried, and the one that leaves least is held to be it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.model import Constant, Item, MediaUse, Sequence, SpeedPoint, Title, Variable
from wexodos.model.speed import source_at
from wexodos.screening.colours import figures as colour_figures
from wexodos.screening.colours import grade_words
from wexodos.screening.cut_view import Stretch
from wexodos.screening.measure import Colour, Floats, Lie, colour, lie
from wexodos.screening.rows import Row, What, where
from wexodos.screening.running import excess
from wexodos.screening.scene import LOOKED, Placed, Scene
from wexodos.timing import exact

_EXPLAINS = 0.3
"""An explanation leaves no more than so much of what lay apart."""
_NOTHING = 4e-4
"""What is left then, of full scale, is nothing."""
_FINE = 360
"""Lines at which places are measured."""
_SAMPLES = 5
_FAR = 90
"""So many source frames on either side a picture is looked for."""
_PIXEL, _LARGER, _TURNED = 0.75, 0.0018, 0.08
"""What is moved by less (pixels of the cut), larger by less, turned by less (degrees) is as it was."""
_NEIGHBOURS = 3
"""Offsets that lie so near may be one."""
_SHORT = 6
"""In shorter stretches what lies apart by little is not looked for."""
_ROUNDS = 2


@dataclass(frozen=True, slots=True)
class Span:
    """Frames ``[first, last)`` of a stretch that are not as they should be, and the colours they have.
    ``hint`` is by how many frames their neighbours fit better."""

    stretch: Stretch
    first: int
    last: int
    colours: Colour
    hint: int | None = None

    def samples(self, count: int = _SAMPLES) -> list[int]:
        """Frames to be looked at, the first and the last among them."""
        return sorted(
            {int(at) for at in np.linspace(self.first, self.last - 1, min(count, self.last - self.first))}
        )


@dataclass(slots=True)
class Finding:
    """An explanation: the cut as it would be with it, what is left, and its rows."""

    left: float
    sequence: Sequence
    rows: list[Row] = field(default_factory=list)
    item: Item | None = None


class Known:
    """What was found of items: it is tried first where they are seen again."""

    def __init__(self) -> None:
        self._found: dict[str, list[tuple[Item, list[Row]]]] = {}

    def add(self, item: Item, rows: list[Row]) -> None:
        self._found.setdefault(item.id, []).append((item, rows))

    def of(self, item_id: str) -> list[tuple[Item, list[Row]]]:
        return self._found.get(item_id, [])


def explained(scene: Scene, span: Span, known: Known) -> list[Row]:
    """The rows that explain a span; one that says that another picture stands there where nothing does."""
    sequence, rows = scene.view.sequence, list[Row]()
    samples = span.samples()
    apart = _far(scene, sequence, samples, span.colours)
    first = apart
    for one in _shown(scene, span):
        for item, before in known.of(one.item.id):
            other = scene.changed(sequence, item)
            left = _far(scene, other, samples, span.colours)
            if left < max(_EXPLAINS * apart, _NOTHING) and left < apart:
                rows += [replace(row, first=span.first, until=span.last) for row in before]
                sequence, apart = other, left
                break
    for _ in range(_ROUNDS):
        if apart < _NOTHING and (rows or span.hint is None):
            break
        best = _best(scene, sequence, span, samples, apart)
        if best is None:
            break
        rows += best.rows
        if best.item is not None:
            known.add(best.item, best.rows)
        sequence, apart = best.sequence, best.left
    if not rows and first >= (_NOTHING if span.hint is None else 4 * _NOTHING):
        rows = _unexplained(scene, sequence, span, samples)
    elif rows and apart > max(2 * _NOTHING, 0.15 * first):
        # Something is left that one more thing must explain.
        rows += [one for one in _unexplained(scene, sequence, span, samples) if one.box is not None]
    return rows


def _far(scene: Scene, sequence: Sequence, frames: list[int], colours: Colour) -> float:
    return float(np.mean([scene.far(sequence, frame, colours) for frame in frames]))


def _best(scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float) -> Finding | None:
    """The explanation that leaves least, where it leaves little enough."""
    best: Finding | None = None
    # What neighbours say of the time of a picture is looked into first, else what takes less work.
    order = (_frames, _lies) if span.hint is not None else (_lies, _frames)
    for ways in (_layers_gone, _layers_come, *order):
        for one in ways(scene, sequence, span, samples, apart):
            if best is None or one.left < best.left * 0.9:
                best = one
        if best is not None and best.left < max(_NOTHING, 0.1 * apart):
            break
    if best is None or best.left > max(_EXPLAINS * apart, _NOTHING):
        return None
    return best


# ---- layers


def _shown(scene: Scene, span: Span) -> list[Placed]:
    """The items of the cut itself that are seen in a span, from the bottom up."""
    found: dict[str, Placed] = {}
    for layer in span.stretch.layers:
        key = layer.via_ids[0] if layer.via_ids else layer.item.id
        one = scene.placed(key)
        if one is not None:
            found[key] = one
    return list(found.values())


def _row(
    span: Span, what: What, one: Placed | None, value: str, expected: str, sure: float, **more: object
) -> Row:
    item = one.item if one is not None else None
    return Row(
        span.first,
        span.last,
        what,
        value,
        expected,
        round(min(0.99, max(0.0, sure)), 2),
        (item.name or item.kind) if item is not None else "",
        item.id if item is not None else "",
        one.track if one is not None else "",
        **more,  # type: ignore[arg-type]
    )


def _sure(left: float, apart: float) -> float:
    return 1 - 0.5 * left / max(apart, 1e-9)


def _layers_gone(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Each layer missing, or seen through more than it should be."""
    shown = _shown(scene, span)
    if len(shown) < 2:
        return
    for one in shown:
        gone = replace(one.item, enabled=False)
        without = scene.changed(sequence, gone)
        left = _far(scene, without, samples, span.colours)
        if left > _EXPLAINS * apart:
            continue
        box = _box_of(scene, sequence, without, samples)
        place = where(box) if box is not None else ""
        words = f"{_named(one.item)} is not there{', ' + place if place else ''}"
        row = _row(span, What.MISSING, one, words, _named(one.item), _sure(left, apart), box=box)
        yield Finding(left, without, [row], gone)


def _named(item: Item) -> str:
    if isinstance(item.content, Title):
        words = " ".join(item.content.words.split())
        return f"the title “{words[:60]}”"
    kinds = {
        "still": "the picture",
        "generator": "the generator",
        "adjustment": "the adjustment",
        "nested": "the nest",
    }
    return f"{kinds.get(item.kind, 'the clip')} “{item.name or item.kind}”"


def _box_of(
    scene: Scene, one: Sequence, other: Sequence, frames: list[int]
) -> tuple[float, float, float, float] | None:
    """Where two cuts differ, in parts of the frame."""
    middle = frames[len(frames) // 2]
    apart = np.abs(scene.ours(one, middle) - scene.ours(other, middle)).max(axis=2)
    return _around(apart > 0.02)


def _around(spots: NDArray[np.bool_]) -> tuple[float, float, float, float] | None:
    """The box around what is true, without the last per cent of it, in parts of the frame."""
    rows, columns = np.flatnonzero(spots.sum(axis=1) > 0), np.flatnonzero(spots.sum(axis=0) > 0)
    if not len(rows):
        return None
    tall, wide = spots.shape
    return (
        round(float(columns[0]) / wide, 4),
        round(float(rows[0]) / tall, 4),
        round(float(columns[-1] + 1 - columns[0]) / wide, 4),
        round(float(rows[-1] + 1 - rows[0]) / tall, 4),
    )


def _layers_come(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Something that is switched off in the cut and seen in the movie."""
    tracks = dict(scene.view.sequence.labelled_tracks())
    for one in scene.items:
        item = one.item
        if item.start >= span.last or item.end <= span.first:
            continue
        if item.enabled and tracks[one.track].enabled:
            continue
        more = scene.shown_anyway(sequence, one)
        left = _far(scene, more, samples, span.colours)
        if left > _EXPLAINS * apart:
            continue
        box = _box_of(scene, sequence, more, samples)
        words = f"{_named(item)} is seen, which is switched off"
        yield Finding(
            left, more, [_row(span, What.ADDED, one, words, "switched off", _sure(left, apart), box=box)]
        )


# ---- place and size


def _lies(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Each layer at another place, of another size, turned."""
    shown = _shown(scene, span)
    for one in reversed(shown):
        measured = _measured(scene, sequence, one.item, span, samples, len(shown) > 1)
        if measured is None:
            continue
        made, found, center = measured
        other = scene.changed(sequence, made)
        left = _far(scene, other, samples, span.colours)
        if left > max(_EXPLAINS * apart, _NOTHING):
            continue
        rows = _lie_rows(scene, span, one, found, center, _sure(left, apart))
        if rows:
            yield Finding(left, other, rows, made)


def _measured(
    scene: Scene, sequence: Sequence, item: Item, span: Span, samples: list[int], several: bool
) -> tuple[Item, Lie, tuple[float, float]] | None:
    """How an item lies, measured at several frames: the item as it lies, the middle of what was measured, and
    where its own middle should be, in pixels of a look."""
    frames = samples[1:-1] if len(samples) > 2 else samples
    lies: list[Lie] = []
    for frame in frames[:3]:
        ours, theirs, mask = _layer_pair(scene, sequence, item, frame, span.colours, several)
        if theirs is None or ours is None:
            continue
        one = lie(ours, theirs, mask)
        if one is not None and one.fit > 0.5:
            lies.append(one)
    if not lies:
        return None
    middle = Lie(np.median([one.matrix for one in lies], axis=0), float(np.median([one.fit for one in lies])))
    # The finer look has more pixels.
    scaled = _in_look(middle)
    frame = frames[len(frames) // 2]
    center = scene.center(sequence, item, frame)
    made = scene.lying(sequence, item, frame, scaled) if center is not None else None
    return (made, scaled, center) if made is not None and center is not None else None


def _in_look(found: Lie) -> Lie:
    """What was measured in the finer look, in pixels of the usual one."""
    matrix = found.matrix.copy()
    matrix[:, 2] *= LOOKED / _FINE
    return Lie(matrix, found.fit)


def _layer_pair(
    scene: Scene, sequence: Sequence, item: Item, frame: int, colours: Colour, several: bool
) -> tuple[Floats | None, Floats | None, NDArray[np.bool_] | None]:
    """A layer as it should be and as the movie has it, what lies around taken away where it is one of
    several: what it adds to the frame without it."""
    theirs = scene.theirs(frame, _FINE)
    if theirs is None:
        return None, None, None
    mask = cv2.resize(scene.mask.astype(np.uint8), theirs.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0
    whole = colours(scene.ours(sequence, frame, _FINE))
    if not several:
        return whole, theirs, mask
    without = colours(scene.ours(scene.changed(sequence, replace(item, enabled=False)), frame, _FINE))
    added, there = whole - without, theirs - without
    covers = float((np.abs(added).max(axis=2) > 0.02).mean())
    if covers > 0.9:
        return whole, theirs, mask
    return added, there, mask


def _lie_rows(
    scene: Scene, span: Span, one: Placed, found: Lie, center: tuple[float, float], sure: float
) -> list[Row]:
    unit = scene.unit()
    x, y = found.moved(center)
    x, y = x / unit[0], y / unit[1]
    across, down = found.scale
    scale = float(np.sqrt(across * down))
    rows = []
    if max(abs(x), abs(y)) > _PIXEL:
        words = (
            f"{_by(x, 'right', 'left')} and {_by(y, 'down', 'up')}"
            if min(abs(x), abs(y)) > _PIXEL
            else (_by(x, "right", "left") if abs(x) > abs(y) else _by(y, "down", "up"))
        )
        more = {"dx": round(x, 2), "dy": round(y, 2)}
        rows.append(_row(span, What.PLACE, one, words, "0 px", sure, figures=more))
    # What is moved or turned far is measured less finely.
    if abs(scale - 1) > (2 * _LARGER if rows or abs(found.turned) > _TURNED else _LARGER):
        even = abs(across / down - 1) < 0.006
        words = f"{scale * 100:.1f} %" if even else f"{across * 100:.1f} % wide, {down * 100:.1f} % high"
        more = {"scale": round(scale, 4), "scale_x": round(across, 4), "scale_y": round(down, 4)}
        rows.append(_row(span, What.SIZE, one, f"{words} of its size", "100 %", sure, figures=more))
    if abs(found.turned) > _TURNED:
        words = f"turned {abs(found.turned):.1f}° {'clockwise' if found.turned > 0 else 'anticlockwise'}"
        rows.append(
            _row(span, What.ROTATION, one, words, "0°", sure, figures={"degrees": round(found.turned, 3)})
        )
    return rows


def _by(pixels: float, more: str, less: str) -> str:
    return f"{abs(pixels):.1f} px {more if pixels > 0 else less}"


def slight(scene: Scene, stretch: Stretch, first: int, last: int, colours: Colour) -> list[Row]:
    """Rows for a stretch whose only picture lies elsewhere by so little that no part of the frame shows it:
    measured at two frames, which must agree, and better by what is seen."""
    span = Span(stretch, first, last, colours)
    shown = _shown(scene, span)
    if last - first < _SHORT or stretch.join is not None or len(shown) != 1:
        return []
    item, sequence = shown[0].item, scene.view.sequence
    frames = [first + (last - first) // 3, first + 2 * (last - first) // 3]
    lies = []
    for frame in frames:
        ours, theirs, mask = _layer_pair(scene, sequence, item, frame, colours, False)
        one = lie(ours, theirs, mask, far=False) if ours is not None and theirs is not None else None
        if one is None or one.fit < 0.8:
            return []
        lies.append(_in_look(one))
    if float(np.abs(lies[0].matrix - lies[1].matrix)[:, :2].max()) > _LARGER:
        return []
    found = Lie(np.mean([one.matrix for one in lies], axis=0), min(one.fit for one in lies))
    center = scene.center(sequence, item, frames[0])
    made = scene.lying(sequence, item, frames[0], found) if center is not None else None
    if center is None or made is None:
        return []
    rows = _lie_rows(scene, span, shown[0], found, center, 0.9)
    other = scene.changed(sequence, made)
    better = all(
        scene.straight(other, frame, colours) < 0.8 * scene.straight(sequence, frame, colours)
        for frame in frames
    )
    return rows if better else []


# ---- source frames


def _frames(
    scene: Scene, sequence: Sequence, span: Span, samples: list[int], apart: float
) -> Iterator[Finding]:
    """Each layer with other frames of its source."""
    for one in _shown(scene, span):
        if scene.frozen(one.item, samples[0], 0) is None and scene.frozen(one.item, samples[-1], 0) is None:
            continue
        found = _offsets(scene, sequence, one.item, span, samples)
        if found is None:
            continue
        offsets, left = found
        if left > max(_EXPLAINS * apart, _NOTHING) or not any(offsets):
            continue
        made = _retimed(scene, one.item, samples, offsets)
        row = _frame_row(scene, span, one, samples, offsets, _sure(left, apart))
        yield Finding(left, scene.changed(sequence, made), [row], made)


def _offsets(
    scene: Scene, sequence: Sequence, item: Item, span: Span, samples: list[int]
) -> tuple[list[int], float] | None:
    """By how many source frames an item is late at each frame looked at, and what is left then."""
    offsets: list[int] = []
    rest = []
    guess = span.hint or 0
    middle = len(samples) // 2
    order = [middle, *range(middle + 1, len(samples)), *range(middle - 1, -1, -1)]
    found: dict[int, int] = {}
    for place in order:
        if place == middle - 1:
            guess = found[middle]
        best = _offset_at(scene, sequence, item, samples[place], span.colours, guess)
        if best is None:
            return None
        found[place], left = best
        guess = found[place]
        rest.append(left)
    offsets = [found[place] for place in range(len(samples))]
    return _steady(scene, sequence, item, samples, offsets, span.colours, float(np.mean(rest)))


def _steady(
    scene: Scene,
    sequence: Sequence,
    item: Item,
    samples: list[int],
    offsets: list[int],
    colours: Colour,
    left: float,
) -> tuple[list[int], float]:
    """One offset for all where they lie next to one another and it fits as well: neighbours may look
    alike."""
    if max(offsets) - min(offsets) > _NEIGHBOURS:
        return offsets, left

    def straight(later: int) -> float:
        held = [scene.frozen(item, frame, later) for frame in samples]
        each = [
            scene.straight(scene.changed(sequence, one), frame, colours) if one is not None else np.inf
            for one, frame in zip(held, samples)
        ]
        return float(np.mean(each))

    known = {one: straight(one) for one in range(min(offsets) - 1, max(offsets) + 2)}
    best = min(known, key=lambda one: known[one])
    held = [scene.frozen(item, frame, best) for frame in samples]
    far = [
        scene.far(scene.changed(sequence, one), frame, colours) for one, frame in zip(held, samples) if one
    ]
    if len(far) < len(samples) or float(np.mean(far)) > 1.3 * left + 1e-4:
        return offsets, left
    return [best] * len(samples), float(np.mean(far))


def _offset_at(
    scene: Scene, sequence: Sequence, item: Item, frame: int, colours: Colour, guess: int
) -> tuple[int, float] | None:
    """The number of source frames by which the movie's picture is later, looked for outwards from a guess."""
    tried: dict[int, float] = {}

    def far(later: int) -> float:
        if later not in tried:
            held = scene.frozen(item, frame, later)
            other = scene.changed(sequence, held) if held is not None else None
            tried[later] = scene.far(other, frame, colours) if other is not None else np.inf
        return tried[later]

    zero = far(0)
    best = None
    for by in range(_FAR + 1):
        good = [later for later in {guess + by, guess - by} if far(later) < max(_NOTHING / 2, 0.12 * zero)]
        if good:
            best = min(good, key=far)
            break
    if best is None:
        best = min(tried, key=lambda one: tried[one])
        if not np.isfinite(tried[best]) or tried[best] > 0.3 * zero:
            return None

    def straight(later: int) -> float:
        held = scene.frozen(item, frame, later)
        if held is None:
            return np.inf
        return scene.straight(scene.changed(sequence, held), frame, colours)

    # Which of its neighbours it is, all that is seen says; what moves at every other frame, three on.
    now = straight(best)
    for way in (-1, 1):
        while True:
            ahead = {best + way * by: straight(best + way * by) for by in range(1, _NEIGHBOURS + 1)}
            further = min(ahead, key=lambda one: ahead[one])
            if ahead[further] >= now:
                break
            best, now = further, ahead[further]
    return best, far(best)


def _retimed(scene: Scene, item: Item, samples: list[int], offsets: list[int]) -> Item:
    """An item with the frames of its source that were found."""
    fps = scene.source_fps(item)
    if len(set(offsets)) == 1 and isinstance(item.speed, Constant):
        return replace(item, source_in=exact(Fraction(item.source_in) + Fraction(offsets[0]) / fps))
    rate = scene.view.sequence.rate
    points = []
    for frame, offset in zip(samples, offsets):
        seconds, _ = source_at(item.speed, item.source_in, frame - item.start, rate)
        points.append(SpeedPoint(frame - item.start, exact(Fraction(seconds) + Fraction(offset) / fps)))
    return replace(item, speed=Variable(tuple(points))) if len(points) > 1 else item


def _frame_row(
    scene: Scene, span: Span, one: Placed, samples: list[int], offsets: list[int], sure: float
) -> Row:
    first, last = offsets[0], offsets[-1]
    stands = len(samples) > 1 and _stands(scene, samples, offsets, one)
    more = {"offset_start": first, "offset_end": last}
    if stands:
        words = f"stands still: {_frames_words(first)} at its start, {_frames_words(last)} at its end"
    elif first == last and len(set(offsets)) == 1:
        words = _frames_words(first)
    else:
        words = f"{_frames_words(first)} at its start, {_frames_words(last)} at its end"
    return _row(span, What.FRAME, one, words, "0 frames", sure, figures=more)


def _frames_words(count: int) -> str:
    if not count:
        return "in time"
    return f"{abs(count)} frame{'s' if abs(count) != 1 else ''} {'later' if count > 0 else 'earlier'}"


def _stands(scene: Scene, samples: list[int], offsets: list[int], one: Placed) -> bool:
    """Whether the movie shows one picture all the time."""
    if not isinstance(one.item.content, MediaUse) or len(set(offsets)) == 1:
        return False
    pictures = [scene.theirs(frame) for frame in (samples[0], samples[-1])]
    if pictures[0] is None or pictures[1] is None:
        return False
    return float(np.abs(pictures[0] - pictures[1])[scene.mask].mean()) < 0.004


# ---- what nothing explains


def _unexplained(scene: Scene, sequence: Sequence, span: Span, samples: list[int]) -> list[Row]:
    """Something that is in the movie and not in the cut: a part of the frame, or another picture."""
    spots = np.zeros(scene.mask.shape, np.float32)
    count = 0
    for frame in samples:
        theirs = scene.theirs(frame)
        if theirs is not None:
            spots += excess(span.colours(scene.ours(sequence, frame)), theirs, scene.mask)
            count += 1
    if not count:
        return []
    apart = cv2.blur(spots / count, (5, 5)) > 0.03
    share = float(apart.mean())
    box = _around(apart)
    if box is None:
        return []
    shown = _shown(scene, span)
    one = shown[0] if shown else None
    if share < 0.45:
        return [
            _row(
                span,
                What.ADDED,
                None,
                f"something that is not in the cut, {where(box)}",
                "nothing",
                0.8,
                box=box,
            )
        ]
    changed = _other_colours(scene, sequence, span, samples)
    if changed is not None:
        return [
            _row(
                span,
                What.COLOUR,
                one,
                grade_words(changed),
                "as in the cut",
                0.7,
                figures=colour_figures(changed),
            )
        ]
    expected = _named(one.item) if one is not None else "black"
    return [_row(span, What.MISSING, one, "another picture stands there", expected, 0.8)]


def _other_colours(scene: Scene, sequence: Sequence, span: Span, samples: list[int]) -> Colour | None:
    """Colours that explain what lies apart where no straight line does: the pictures are the same in
    shape."""
    frame = samples[len(samples) // 2]
    theirs = scene.theirs(frame)
    if theirs is None:
        return None
    ours = scene.ours(sequence, frame)
    found = lie(ours, theirs, scene.mask, far=False)
    if found is None or found.fit < 0.9:
        return None
    return colour(ours[scene.mask][::7], theirs[scene.mask][::7])
