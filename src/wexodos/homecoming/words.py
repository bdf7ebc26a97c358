"""What became of what came back, in sentences."""

from __future__ import annotations

from wexodos.homecoming.holes import Hole
from wexodos.homecoming.laying import Laid
from wexodos.homecoming.mixes import NO_DRIFT, By, Returned, Role
from wexodos.homecoming.whole import Whole
from wexodos.homecoming.within import RATE
from wexodos.model import Sequence
from wexodos.tidy.step import counted
from wexodos.timing import exact, floor


def frames_late(one: Returned, sequence: Sequence) -> int | None:
    """The offset of a sound in whole frames, towards nought."""
    if one.offset is None:
        return None
    late = floor(sequence.rate.frames(exact(abs(one.offset), one.facts.sample_rate or RATE)))
    return late if one.offset >= 0 else -late


def tracks_words(labels: tuple[str, ...]) -> str:
    """Sound tracks in their order, from the first to the last where none is left out between them."""
    numbers = [int(label[1:]) for label in labels]
    if len(numbers) > 1 and numbers == list(range(numbers[0], numbers[-1] + 1)):
        return f"{labels[0]}–{labels[-1]}"
    return ", ".join(labels)


_BY = {By.CUT: "the cut's sound", By.GUIDE: "the guide mix", By.POPS: "its pop"}


def by_words(one: Returned) -> str:
    """By what it is known where a sound belongs."""
    return ", ".join(_BY.get(way, way.value) for way in one.by)


def role_words(one: Returned) -> str:
    """What a sound is of the cut."""
    if one.role is Role.STEM:
        return f"{one.stem} stem"
    return "mix" if one.role is Role.MIX else f"track {', '.join(one.tracks)}"


def sync_words(one: Returned, sequence: Sequence) -> str:
    """How a sound lies against the cut, in one sentence."""
    if one.offset is None:
        return "nothing in it sounds like the cut"
    words = "in sync, to the sample"
    if one.offset:
        late = "later" if one.offset > 0 else "earlier"
        frames = counted(abs(frames_late(one, sequence) or 0), "frame")
        words = f"{abs(one.offset)} samples {late} than the cut ({frames})"
    drift = one.found.drift
    if abs(drift) > NO_DRIFT:
        pull = "; this is a pull of 0.1 %" if 990 < abs(drift) < 1010 else ""
        words += f", {drift:+.1f} in a million longer{pull}"
    if one.found.inverted:
        words += ", its polarity is inverted"
    for step in one.found.steps:
        at = sequence.timecode(floor(sequence.rate.frames(exact(step.at, RATE))))
        words += f", from {at} on {step.samples:+d} samples more"
    return words


def moved_words(one: Returned) -> str:
    """What was done to a sound that is moved to where it belongs; empty where there was nothing to do."""
    if one.found.steps and one.within is None:
        return f"cut into {len(one.found.steps) + 1} parts, each where it belongs"
    return "moved to where it belongs" if one.offset or (one.pace != 1 and one.within is None) else ""


def render_words(one: Laid) -> str:
    """How a render stands in its place."""
    words = []
    if one.offset:
        late = "late" if one.offset > 0 else "early"
        words.append(f"{counted(abs(one.offset), 'frame')} {late}")
    if one.doubled:
        words.append(f"{', '.join(what.what.value for what in one.doubled)} switched off: in it already")
    return "; ".join([*words, *open_words(one)]) or "as it was"


def whole_words(one: Whole, sequence: Sequence) -> str:
    """How a movie of the whole lies on the cut, in one sentence."""
    words = ["in sync, to the frame"]
    if one.offset:
        words = [
            f"{counted(abs(one.offset), 'frame')} {'later' if one.offset > 0 else 'earlier'} than the cut"
        ]
    if one.titles is not None:
        words.append("the titles are in it" if one.titles else "without the titles")
    for at, by in one.steps:
        words.append(f"from {sequence.timecode(at)} on {by:+d} frames more")
    return ", ".join(words)


def open_words(one: Laid) -> list[str]:
    """Where a render does not reach as far as the transitions at its clip, and what could not be told of
    it."""
    short = [
        f"{counted(count, 'frame')} short at its {where}, where a transition needs them"
        for count, where in zip(one.short, ("beginning", "end"))
        if count
    ]
    return [*short, one.unsure] if one.unsure else short


def hole_words(hole: Hole, sequence: Sequence) -> str:
    """A hole in words: from where to where, and what stands there."""
    first, last = (sequence.timecode(floor(at)) for at in (hole.first, hole.last))
    names = list(dict.fromkeys(each.item.name for each in hole.items if each.item.name))
    more = f" and {len(names) - 3} more" if len(names) > 3 else ""
    return f"{first} – {last} ({', '.join(names[:3])}{more})"
