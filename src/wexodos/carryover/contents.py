"""Steps on what items show: generators, adjustment items, filters, blends, alpha; titles have their own
place."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.inventory import numbered, pieces, without
from wexodos.carryover.motions import alpha_of
from wexodos.carryover.tracks import not_understood
from wexodos.carryover.words import titled
from wexodos.evaluate.following import followed, largest, spread
from wexodos.model import Adjustment, Curve, Effect, Generator, Item, MediaUse, Motion, Title
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.leaving import drop, gone, kind_of, loosen, note_in_place
from wexodos.settling.vocabulary import BLEND_MODE, Cause, Fate, Kind, Remedy
from wexodos.timing import Exact

_COLOURS = ("color", "colour", "fill color", "fillcolor")
"""Settings of a generator that stand in the model already."""


def contents(context: Context, work: Work) -> None:
    """Adapt every item's content."""
    for lane in list(work.lanes):
        for item in list(lane.items):
            left: Item | None = item
            if isinstance(item.content, Title):
                left = titled(context, work, lane, item, item.content)
            elif isinstance(item.content, Generator):
                left = _generator(context, work, lane, item, item.content)
            elif isinstance(item.content, Adjustment):
                left = _adjustment(context, work, lane, item)
            elif isinstance(item.content, MediaUse):
                left = _medium(context, work, lane, item, item.content)
            if left is not None:
                _dressing(context, work, lane, left)


def _medium(context: Context, work: Work, lane: Lane, item: Item, use: MediaUse) -> Item | None:
    if use.media in context.document.media_by_id:
        return item
    why, do = "the file does not say which medium it is", "relink it first"
    drop(context, work, lane, item, Cause.MEDIUM_UNKNOWN, why, do)
    return None


def _generator(context: Context, work: Work, lane: Lane, item: Item, generator: Generator) -> Item | None:
    own = context.own(generator.raw)
    takes = context.destination
    heard = lane.kind != "audio" or context.spells.sounding_generators
    if (generator.kind in takes.generators.kinds and heard) or (own and takes.filters.carry):
        lost = [f"{name} {value}" for name, value in generator.parameters if name.lower() not in _COLOURS]
        if own:
            return item
        item = _opaque(context, work, lane, item)
        generator = _made(item)
        reason = context.because(
            work,
            Cause.GENERATOR_SETTINGS,
            item,
            lane.label,
            "its other settings belong to the other dialect",
            "set it again there",
            what="settings",
            fate=Fate.LEFT,
            before=", ".join(lost)[:300],
        )
        bare = replace(item, content=replace(generator, parameters=(), raw=()))
        return work.put(lane, item, bare, reason if lost else context.spelled(Cause.GENERATOR_SETTINGS))
    name = generator.name or generator.kind
    options = (Remedy.NOTE, Remedy.LEAVE)
    choice = context.decide(Cause.NO_GENERATOR, item.kind, item.id, *options)
    why, do = f"the far side does not make {name!r}", "make it again there"
    if not heard:
        why = f"generators are pictures there; {name!r} has no sound"
    reason = drop(context, work, lane, item, Cause.NO_GENERATOR, why, do, choice=choice)
    if choice.remedy is Remedy.NOTE:
        note_in_place(context, work, item, f"generator: {name}", reason)
    return None


def _made(item: Item) -> Generator:
    assert isinstance(item.content, Generator)
    return item.content


def _opaque(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """A colour that can be seen through as an opaque one whose item can: generators have no alpha of their
    own."""
    generator = _made(item)
    share = alpha_of(generator.color) if generator.color else 1.0
    if share == 1.0 or generator.color is None:
        return item
    motion = item.motion or Motion()
    fainter = replace(
        motion.opacity,
        value=(motion.opacity.value[0] * share,),
        keys=tuple(replace(key, value=(key.value[0] * share,)) for key in motion.opacity.keys),
    )
    reason = context.because(
        work,
        Cause.SEE_THROUGH,
        item,
        lane.label,
        "colours are not see-through there; the item is instead",
        "nothing",
        what="colour",
        before=generator.color,
        after=f"{share:.0%} opaque",
        minutes=0,
    )
    opaque = replace(
        item,
        content=replace(generator, color=f"{generator.color[:7]}ff"),
        motion=replace(motion, opacity=fainter),
    )
    return work.put(lane, item, opaque, reason)


def _adjustment(context: Context, work: Work, lane: Lane, item: Item) -> Item | None:
    same = all(effect.raw is not None and context.own((effect.raw,)) for effect in item.effects)
    if context.destination.filters.carry and same and context.spells.adjustments:
        return item
    settings = "; ".join(effect.name for effect in item.effects) or "no filters"
    choice = context.decide(
        Cause.NO_ADJUSTMENT, item.kind, item.id, Remedy.NOTE, Remedy.LEAVE, kind=kind_of(item)
    )
    why, do = "no adjustment items on the far side", f"filter what lies below: {settings}"
    reason = gone(context, work, lane, item, Cause.NO_ADJUSTMENT, why, do, choice=choice)
    work.take(lane, item, reason)
    loosen(context, work, lane, reason.fate)
    if choice.remedy is Remedy.NOTE:
        note_in_place(context, work, item, f"adjustment: {settings}", reason)
    return None


def _dressing(context: Context, work: Work, lane: Lane, item: Item) -> None:
    if item.effects:
        item = _filters(context, work, lane, item)
    item = _blend_and_alpha(context, work, lane, item)
    if item.label and not context.destination.tracks.labels:
        reason = context.because(
            work,
            Cause.NO_LABELS,
            item,
            lane.label,
            "colour labels have no form there",
            "nothing",
            what="label",
            fate=Fate.LEFT,
            before=item.label,
        )
        item = work.put(lane, item, item.but(label=None), reason)
    if item.raw:
        _raws(context, work, lane, item)


def _blend_and_alpha(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    pictures = context.destination.pictures
    if item.blend != "normal" and pictures.blends != "all" and item.blend not in pictures.blends:
        reason = context.because(
            work,
            Cause.NO_BLEND,
            item,
            lane.label,
            f"no blend mode {item.blend!r} there",
            "blend it again there",
            what=BLEND_MODE,
            fate=Fate.LEFT,
            before=item.blend,
            after="normal",
        )
        item = work.put(lane, item, replace(item, blend="normal"), reason)
    if item.alpha and not pictures.alpha:
        said = item.alpha != "none" and not isinstance(item.content, Title | Generator)
        reason = context.spelled()
        if said:
            reason = context.because(
                work,
                Cause.NO_ALPHA,
                item,
                lane.label,
                f"the dialect cannot say that its alpha is {item.alpha!r}; the receiver looks into the file "
                "itself",
                "check that it is transparent there",
                what="alpha",
                fate=Fate.LEFT,
                before=item.alpha,
                after="not said",
            )
        item = work.put(lane, item, item.but(alpha=None), reason)
    return item


def _raws(context: Context, work: Work, lane: Lane, item: Item) -> None:
    """Pieces of the file that no reader understands, and takes stacked on each other."""
    foreign = [
        raw
        for raw in item.raw
        if raw.dialect != context.destination.format
        or (raw.tag == "audition" and "<mc-clip" in raw.text and not context.destination.nests.angles)
    ]
    for name, group in pieces(foreign):
        reason = not_understood(context, work, name, (0, 0), lane.label, item.id, len(group))
        reason.item, reason.start, reason.stop = f"{work.prefix}{item.name or item.kind}", *_span(work, item)
        if name.startswith("audition"):
            reason.why = "takes stacked on each other have no form there; the one in use goes"
        item = work.put(lane, item, replace(item, raw=without(item.raw, group)), reason)


def _span(work: Work, item: Item) -> tuple[Exact, Exact]:
    return item.start + work.shift, item.end + work.shift


def _filters(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    takes = context.destination.filters
    names = numbered([effect.name for effect in item.effects])
    for effect, name in zip(item.effects, names):
        if context.as_written(effect):
            continue
        if context.takes(effect):
            item = _known(context, work, lane, item, effect, name)
            continue
        kind = Kind.COLOUR if effect.kind in ("primaries", "lut") else Kind.FILTER
        choice = context.decide(Cause.NO_FILTER, name, item.id, Remedy.LEAVE, Remedy.NOTE, kind=kind)
        settings = ", ".join(
            f"{one.name} {one.value}" + (f" ({one.keys} keys)" if one.keys else "")
            for one in effect.parameters
        )
        reason = context.because(
            work,
            Cause.NO_FILTER,
            item,
            lane.label,
            "this filter is unknown in the other dialect"
            if takes.carry
            else "the far side takes no such filters",
            "filter it again there with these settings",
            choice=choice,
            before=settings or effect.name,
        )
        if choice.remedy is Remedy.NOTE:
            note_in_place(context, work, item, f"{effect.name}: {settings}"[:400], reason)
        rest = tuple(one for one in item.effects if one is not effect)
        item = work.put(lane, item, replace(item, effects=rest), reason)
    return item


def _known(context: Context, work: Work, lane: Lane, item: Item, effect: Effect, name: str) -> Item:
    """A filter that both dialects have: spelled anew from its settings, eased keys followed where eases have
    no form."""
    takes = context.destination.keyframes
    settings: list[tuple[str, Curve]] = []
    worst, widest, before, after = 0.0, 0.0, 0, 0
    for key, curve in effect.settings:
        new = curve
        if curve.animated and (
            any(one.ease.value not in takes.interpolations for one in curve.keys)
            or (takes.whole_frames and any(not isinstance(one.time, int) for one in curve.keys))
        ):
            reach = max(abs(value) for one in curve.keys for value in one.value)
            limit = 0.004 * max(reach, 1.0) * context.options.tolerance
            widest = max(widest, limit)
            new = followed(curve, float(item.duration), "plain", spread, limit)
            worst = max(worst, largest(curve, new, float(item.duration), spread))
            before, after = before + len(curve.keys), after + len(new.keys)
        settings.append((key, new))
    if not before:
        return item
    reason = context.because(
        work,
        Cause.FILTER_FOLLOWED,
        item,
        lane.label,
        f"keyframe eases become straight lines; {after} keys follow the curve that {before} drew",
        "nothing",
        what=name,
        before=f"{before} keyframes",
        after=f"{after} keyframes",
        deviation=(round(worst, 4), ""),
        minutes=0,
        within=widest,
    )
    made = replace(effect, settings=tuple(settings))
    effects = tuple(made if one is effect else one for one in item.effects)
    return work.put(lane, item, replace(item, effects=effects), reason)
