"""Transitions that the destination does not know: the nearest it knows, or a cut."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from wexodos.model import Transition
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate, Remedy
from wexodos.timing import floor, round_half_up

WORDS: Mapping[str, str] = {
    "audio-linear": "equal-gain crossfade",
    "audio-equal-power": "equal-power crossfade",
    "additive": "additive dissolve",
    "dip": "dip to a colour",
    "other": "other transition",
}
"""Kinds of transitions in our words, where the kind's own name is none."""
_NAMES = {"dissolve": "Cross dissolve", "audio-equal-power": "Equal power", "audio-linear": "Equal gain"}
_UNDERSTOOD = (
    "color",
    "colour",
    "border",
    "softness",
    "feather",
    "direction",
    "pattern",
    "look",
    "amount",
    "ease",
)
"""Settings by whose names a reader knows them: they stand in the model already."""
_SPELLINGS = frozenset({"effect", "filter-video", "filter-audio"})
"""Elements that only spell what the model holds of a transition."""


def transitions(context: Context, work: Work) -> None:
    """Transitions the destination does not know become the nearest it knows, or go."""
    takes = context.destination.transitions
    can = context.spells.transitions
    for lane in work.lanes:
        known = takes.kinds if lane.kind == "video" else takes.sound
        known = [kind for kind in known if can is None or kind in can]
        for one in list(lane.transitions):
            transition = _foreign_settings(context, work, lane, one)
            unknown_wipe = (
                transition.type == "wipe" and takes.wipes != "all" and transition.pattern not in takes.wipes
            )
            # One that nobody knows goes only where its own dialect is written: there it stands word for word.
            foreign = transition.type == "other" and not context.own(transition.raw)
            if transition.type not in known or unknown_wipe or foreign:
                _replaced(context, work, lane, transition, known)


def _foreign_settings(context: Context, work: Work, lane: Lane, transition: Transition) -> Transition:
    """Without what a transition says beyond its kind and looks, where its own dialect is not written."""
    foreign = context.foreign(transition.raw)
    if context.own(transition.raw) and not foreign:
        return transition
    lost = [
        f"{one.name} {one.value}".strip()
        for one in transition.parameters
        if not any(word in one.name.lower() for word in _UNDERSTOOD)
    ]
    lost += [raw.tag for raw in foreign if raw.tag not in _SPELLINGS]
    reason = context.because(
        work,
        Cause.TRANSITION_SETTINGS,
        transition,
        lane.label,
        "its other settings belong to the other dialect",
        "set them again there",
        what="settings",
        fate=Fate.LEFT,
        before=", ".join(lost)[:300],
    )
    kept = tuple(raw for raw in transition.raw if raw not in foreign)
    bare = replace(transition, parameters=(), raw=kept)
    return work.put_join(
        lane, transition, bare, reason if lost else context.spelled(Cause.TRANSITION_SETTINGS)
    )


def _replaced(context: Context, work: Work, lane: Lane, transition: Transition, known: list[str]) -> None:
    nearest = "dissolve" if lane.kind == "video" else next(iter(known), "")
    options = (Remedy.ADAPT, Remedy.LEAVE) if nearest in known else (Remedy.LEAVE,)
    choice = context.decide(Cause.NO_SUCH_TRANSITION, transition.type, transition.id, *options)
    name = WORDS.get(transition.type, transition.type)
    if transition.type == "wipe" and transition.pattern is not None:
        name = f"{name} (SMPTE {transition.pattern})"
    missing = "such transition" if transition.type == "other" else name
    adapted = choice.remedy is Remedy.ADAPT
    sound = lane.kind == "audio"
    if adapted:
        after = f"an {WORDS[nearest]}" if sound else f"a {nearest} of the same length"
        why = f"no {missing} there; becomes {after}"
        do = "nothing, or set its law again" if sound else "put the original one back there"
    else:
        why, do = f"no {missing} there; the cut stays where it is", "put a transition back there"
    reason = context.because(
        work,
        Cause.NO_SUCH_TRANSITION,
        transition,
        lane.label,
        why,
        do,
        choice=choice,
        before=name,
        after=nearest if adapted else "cut",
        minutes=0.0 if adapted and sound else None,
    )
    if not adapted:
        work.take_join(lane, transition, reason)
        return
    plain = Transition(
        transition.id,
        _NAMES.get(nearest, nearest),
        nearest,
        transition.start,
        transition.duration,
        transition.cut,
    )
    work.put_join(lane, transition, plain, reason)


def on_frames(context: Context, work: Work, lane: Lane) -> None:
    """Centred transitions of an odd length begin and end between frames; the cut stays where it is."""
    for one in list(lane.transitions):
        if all(isinstance(value, int) for value in (one.start, one.duration, one.cut)):
            continue
        cut = round_half_up(one.cut)
        start, end = min(cut, floor(one.start)), max(cut, floor(one.start) + round_half_up(one.duration))
        reason = context.because(
            work,
            Cause.TRANSITION_BETWEEN_FRAMES,
            one,
            lane.label,
            "transitions begin and end on whole frames there",
            "nothing",
            what="length",
            before=f"{float(one.start):g}",
            after=str(start),
            deviation=(round(abs(float(one.start - start)), 3), "fr"),
            minutes=0,
        )
        work.put_join(lane, one, replace(one, start=start, duration=end - start, cut=cut), reason)
