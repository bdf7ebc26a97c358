"""Faults, each planted in a shot of its own of a made cut, with what a check must say of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from tests.screening.made import Cut, Graphic, Picture, changed_shot, day, surface, with_graphic

Change = Callable[[Picture], Picture]


@dataclass(frozen=True)
class Truth:
    """What must be found: a shot (or panel), of what kind, with which figures, and how near these must lie."""

    number: int
    what: str
    figures: dict[str, float]
    panel: bool = False


@dataclass
class Planted:
    """A cut, what a movie of it shows instead, frame by frame, and the truth."""

    cut: Cut
    frames: Callable[[], Iterator[Picture]]
    truth: list[Truth]


def _pure(gain: float, offset: float) -> Change:
    return lambda picture: np.clip(picture * np.float32(gain) + np.float32(offset), 0, 1)


def _grey(picture: Picture) -> Picture:
    luma = picture @ np.float32([0.2126, 0.7152, 0.0722])
    return np.asarray(np.repeat(luma[..., None], 3, axis=2), np.float32)


def planted(seed: int = 5) -> Planted:
    """The movie of a cut of 88 shots with 39 faults."""
    cut = day(88, seed, (18, 28))
    # Those that come in by a transition, and have a panel, take what is about these.
    dissolves = [at for at, one in enumerate(cut.shots) if one.dissolve]
    wipes = [at for at, one in enumerate(cut.shots) if one.wipe]
    starts = cut.starts()
    owner = [max(at for at, start in enumerate(starts) if start <= one.first) for one in cut.graphics]
    near = {*dissolves, *wipes, *(at - 1 for at in (*dissolves, *wipes)), *owner}
    free = [at for at in range(1, len(cut.shots) - 1) if at not in near]
    take = iter(free)
    made, truth = cut, list[Truth]()
    colours: dict[int, Change] = {}
    alone: dict[int, Change] = {}

    def fault(what: str, figures: dict[str, float], **changes: object) -> None:
        nonlocal made
        number = next(take)
        made = changed_shot(made, number, **changes)
        truth.append(Truth(number, what, figures))

    def source(later: int) -> None:
        nonlocal made
        number = next(take)
        made = changed_shot(made, number, first=cut.shots[number].first + later)
        truth.append(Truth(number, "frame", {"offset_start": later, "offset_end": later}))

    for later in (1, -1, 2, 3, -5, 12, 30):
        source(later)
    for speed in (0.0, 0.5, 2.0, -1.0):
        number = next(take)
        one = cut.shots[number]
        made = changed_shot(made, number, speed=speed)
        last = one.length - 1
        # Backwards the frame that ends at a boundary is shown.
        shown = (
            int(np.floor(one.first + last * speed))
            if speed >= 0
            else int(np.ceil(one.first + last * speed)) - 1
        )
        begun = one.first if speed >= 0 else one.first - 1
        truth.append(
            Truth(
                number,
                "frame",
                {"offset_start": begun - one.first, "offset_end": shown - (one.first + last)},
            )
        )
    for x, y in ((2.0, 0.0), (0.0, -6.0), (24.0, 10.0), (-60.0, 0.0)):
        number = next(take)
        one = cut.shots[number]
        made = changed_shot(made, number, x=one.x + x, y=one.y + y)
        truth.append(Truth(number, "place", {"dx": x, "dy": y}))
    for size in (1.01, 1.05, 1.25, 0.9, 0.6):
        number = next(take)
        made = changed_shot(made, number, size=cut.shots[number].size * size)
        truth.append(Truth(number, "size", {"scale": size}))
    for turned in (1.0, -4.0):
        fault("rotation", {"degrees": turned}, turned=turned)
    for change, figures in (
        (_pure(1.15, 0.0), {"gain": 1.15}),
        (_pure(1.0, 0.06), {"offset": 0.06}),
        (_grey, {"saturation": 0.0}),
    ):
        number = next(take)
        colours[number] = change
        truth.append(Truth(number, "colour", figures))
    number = next(take)
    colours[number] = _pure(219 / 255, 16 / 255)
    truth.append(Truth(number, "range", {}))
    # Black from beginning to end, and for three frames.
    number = next(take)
    alone[number] = lambda picture: np.zeros_like(picture)
    truth.append(Truth(number, "black", {"length": cut.shots[number].length}))
    # Another picture.
    number = next(take)
    other = surface(991, 480, 270)
    alone[number] = lambda picture: other
    truth.append(Truth(number, "missing", {}))
    # A cut three frames later, and two earlier.
    for by in (3, -2):
        number = next(take)
        while number + 1 in near or number + 1 not in free:
            number = next(take)
        after = next(take)
        shots = made.shots
        long = shots[number].length
        made = changed_shot(made, number, length=long + by)
        made = changed_shot(made, after, length=shots[after].length - by, first=shots[after].first + by)
        truth.append(Truth(after, "frame", {"cut_offset": by}))
    # Something on top that is in no cut.
    number = next(take)
    begin = starts[number]
    made.graphics.append(Graphic(begin, begin + cut.shots[number].length, x=100, y=-60, seed=1))
    truth.append(Truth(number, "added", {}))
    # Transitions.
    made = changed_shot(made, dissolves[0], dissolve=0)
    truth.append(Truth(dissolves[0], "transition", {"length": 0}))
    made = changed_shot(made, dissolves[1], dissolve=20)
    truth.append(Truth(dissolves[1], "transition", {"length": 20}))
    made = changed_shot(made, wipes[0], wipe=0, dissolve=10)
    truth.append(Truth(wipes[0], "transition", {"length": 10}))
    number = [next(take) for _ in range(3)][-1]
    made = changed_shot(made, number, dissolve=8)
    truth.append(Truth(number, "transition", {"length": 8}))
    # Panels.
    count = len(cut.graphics)
    made.graphics[0] = replace(made.graphics[0], last=made.graphics[0].first)
    truth.append(Truth(0, "missing", {}, panel=True))
    for at, (x, y) in ((2, (10.0, 0.0)), (4, (-40.0, -30.0))):
        made = with_graphic(made, at, x=cut.graphics[at].x + x, y=cut.graphics[at].y + y)
        truth.append(Truth(at, "place", {"dx": x, "dy": y}, panel=True))
    made = with_graphic(made, 6, size=1.3)
    truth.append(Truth(6, "size", {"scale": 1.3}, panel=True))
    assert count > 6

    def frames() -> Iterator[Picture]:
        for frame in range(made.length):
            place = max(at for at, start in enumerate(starts) if start <= frame)
            picture = made.picture(frame)
            for each in (colours, alone):
                if place in each:
                    picture = np.asarray(each[place](picture), np.float32)
            yield picture

    return Planted(cut, frames, truth)
