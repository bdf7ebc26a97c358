"""Steps on what items show: generators, adjustment items, filters, blends, alpha; titles have their own
place."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import FATE_OF, Fate, Remedy
from wexodos.carryover.inventory import numbered
from wexodos.carryover.structure import drop, note_in_place
from wexodos.carryover.words import titled
from wexodos.evaluate.following import followed, largest, spread
from wexodos.formats.xmeml import WORDS
from wexodos.model import Adjustment, Effect, Generator, Item, MediaUse, Title


def contents(context: Context, work: Work) -> None:
    """Adapt every item's content."""
    for lane in list(work.lanes):
        for item in list(lane.items):
            changed: Item | None = item
            if isinstance(item.content, Title):
                changed = titled(context, work, lane, item, item.content)
            elif isinstance(item.content, Generator):
                changed = _generator(context, work, lane, item, item.content)
            elif isinstance(item.content, Adjustment):
                changed = _adjustment(context, work, lane, item)
            elif (
                isinstance(item.content, MediaUse) and item.content.media not in context.document.media_by_id
            ):
                drop(
                    context,
                    work,
                    lane,
                    item,
                    Fate.LEFT,
                    "the file does not say which medium it is",
                    "relink it first",
                )
                changed = None
            if changed is not None:
                changed = _dressing(context, work, lane, changed)
                if changed is not item:
                    lane.swap(item, changed)


def _generator(context: Context, work: Work, lane: Lane, item: Item, generator: Generator) -> Item | None:
    own = any(raw.dialect == context.destination.format for raw in generator.raw)
    if generator.kind in context.destination.generators.kinds or (own and context.destination.filters.carry):
        settings = [
            name
            for name, _ in generator.parameters
            if name.lower() not in ("color", "colour", "fill color", "fillcolor")
        ]
        if settings and not own:
            context.find(
                work,
                "generator",
                "settings",
                item,
                lane.label,
                Fate.LEFT,
                "its other settings belong to the other dialect",
                "set it again there",
                ("generator settings",),
                before=", ".join(f"{name} {value}" for name, value in generator.parameters)[:300],
            )
        return item
    options = (Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("generator", generator.kind, item.id, *options)
    name = generator.name or generator.kind
    added = note_in_place(work, item, f"generator: {name}") if remedy is Remedy.NOTE else ()
    drop(
        context,
        work,
        lane,
        item,
        FATE_OF[remedy],
        f"the far side does not make {name!r}",
        "make it again there",
        remedy,
        options,
        also=added,
    )
    return None


def _adjustment(context: Context, work: Work, lane: Lane, item: Item) -> Item | None:
    same = all(
        effect.raw is not None and effect.raw.dialect == context.destination.format for effect in item.effects
    )
    if context.destination.filters.carry and same and context.destination.format == "xmeml":
        return item
    settings = "; ".join(effect.name for effect in item.effects) or "no filters"
    options = (Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("filter", "adjustment", item.id, *options)
    added = note_in_place(work, item, f"adjustment: {settings}") if remedy is Remedy.NOTE else ()
    below = tuple(
        one.id
        for other in work.lanes
        if other.kind == "video"
        for one in other.items
        if one.span.overlaps(item.span)
    )
    drop(
        context,
        work,
        lane,
        item,
        FATE_OF[remedy],
        "no adjustment items on the far side",
        f"filter what lies below: {settings}",
        remedy,
        options,
        covers=("filters",),
        also=(*added, *below),
    )
    return None


def _dressing(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    item = _filters(context, work, lane, item)
    destination = context.destination
    if (
        item.blend != "normal"
        and destination.pictures.blends != "all"
        and item.blend not in destination.pictures.blends
    ):
        context.find(
            work,
            "opacity",
            "blend mode",
            item,
            lane.label,
            Fate.LEFT,
            f"no blend mode {item.blend!r} there",
            "blend it again there",
            ("blend mode",),
            before=item.blend,
            after="normal",
        )
        item = replace(item, blend="normal")
    told = item.alpha and item.alpha != "none" and not isinstance(item.content, Title | Generator)
    if not destination.pictures.alpha and item.alpha:
        if told:
            context.find(
                work,
                "media",
                "alpha",
                item,
                lane.label,
                Fate.LEFT,
                f"the dialect cannot say that its alpha is {item.alpha!r}; the receiver looks into "
                "the file itself",
                "check that it is transparent there",
                ("alpha",),
                before=item.alpha,
                after="not said",
            )
        item = replace(item, alpha=None)
    if item.label and not destination.tracks.labels:
        context.find(
            work,
            "metadata",
            "label",
            item,
            lane.label,
            Fate.LEFT,
            "colour labels have no form there",
            "nothing",
            ("label",),
            before=item.label,
        )
        item = replace(item, label=None)
    item = _metadata(context, work, lane, item)
    foreign = [
        raw
        for raw in item.raw
        if raw.dialect != destination.format
        or (raw.tag == "audition" and "<mc-clip" in raw.text and not destination.nests.angles)
    ]
    for name in numbered([raw.tag for raw in foreign]):
        why = "Wexodos does not understand this element; it belongs to the other dialect"
        if name.startswith("audition"):
            why = "takes stacked on each other have no form there; the one in use goes"
        context.find(
            work,
            "metadata",
            name,
            item,
            lane.label,
            Fate.LEFT,
            why,
            "kept for the way back",
            ("unread elements",),
        )
    return replace(item, raw=tuple(raw for raw in item.raw if raw not in foreign)) if foreign else item


def _metadata(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """Metadata that Track XML has no field for; scene and shot go into the fields it has."""
    if context.destination.format != "xmeml" or not item.metadata:
        return item
    known: dict[str, str] = {}
    lost: list[str] = []
    for key, value in item.metadata:
        field = next((name for ending, name in _FIELDS.items() if key.endswith(ending)), key)
        if field in WORDS and field not in known:
            known[field] = value
        else:
            lost.append(f"{key}: {value}")
    moved = tuple(known.items())
    if lost or moved != item.metadata:
        fate = Fate.LEFT if lost else Fate.ADAPTED
        context.find(
            work,
            "metadata",
            "metadata",
            item,
            lane.label,
            fate,
            "Track XML has no field for it" if lost else "it goes into the fields that Track XML has",
            "nothing",
            ("metadata",),
            before="; ".join(lost or [key for key, _ in item.metadata])[:300],
        )
    return replace(item, metadata=moved)


_FIELDS = {"studio.scene": "scene", "studio.shot": "shottake"}


def _filters(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    if not item.effects:
        return item
    kept, options = [], (Remedy.LEAVE, Remedy.NOTE)
    takes = context.destination.filters
    for effect, name in zip(item.effects, numbered([effect.name for effect in item.effects])):
        same = effect.raw is not None and effect.raw.dialect == context.destination.format
        if takes.carry and same:
            kept.append(effect)
            continue
        if effect.kind in takes.known and effect.settings:
            kept.append(_known(context, work, lane, item, effect, name))
            continue
        remedy = context.decide("filter", name, item.id, *options)
        settings = ", ".join(
            f"{one.name} {one.value}" + (f" ({one.keys} keys)" if one.keys else "")
            for one in effect.parameters
        )
        added: tuple[str, ...] = ()
        covers: tuple[str, ...] = ("filters", "filter settings")
        if remedy is Remedy.NOTE:
            added = note_in_place(work, item, f"{effect.name}: {settings}"[:400])
            covers = (*covers, "marker")
        why = (
            "this filter is unknown in the other dialect"
            if takes.carry
            else "the far side takes no such filters"
        )
        kind = "colour" if effect.kind in ("primaries", "lut") else "filter"
        context.remedied(
            work,
            kind,
            name,
            item,
            lane.label,
            remedy,
            options,
            why,
            "filter it again there with these settings",
            covers,
            before=settings or effect.name,
            also=added,
        )
    return replace(item, effects=tuple(kept))


def _known(context: Context, work: Work, lane: Lane, item: Item, effect: Effect, name: str) -> Effect:
    """A filter that both dialects have: spelled anew from its settings, eased keys followed where eases have
    no form."""
    takes = context.destination.keyframes
    settings = []
    worst = 0.0
    keys = [0, 0]
    for key, curve in effect.settings:
        new = curve
        if curve.animated and (
            any(one.ease.value not in takes.interpolations for one in curve.keys)
            or (takes.whole_frames and any(not isinstance(one.time, int) for one in curve.keys))
        ):
            reach = max(abs(value) for one in curve.keys for value in one.value)
            new = followed(
                curve,
                float(item.duration),
                "plain",
                spread,
                0.004 * max(reach, 1.0) * context.options.tolerance,
            )
            worst = max(worst, largest(curve, new, float(item.duration), spread))
            keys = [keys[0] + len(curve.keys), keys[1] + len(new.keys)]
        settings.append((key, new))
    if keys[0]:
        context.find(
            work,
            "filter",
            name,
            item,
            lane.label,
            Fate.ADAPTED,
            f"keyframe eases become straight lines; {keys[1]} keys follow the curve that {keys[0]} drew",
            "nothing",
            ("filter settings",),
            before=f"{keys[0]} keyframes",
            after=f"{keys[1]} keyframes",
            deviation=(round(worst, 4), ""),
            minutes=0,
        )
    return replace(effect, settings=tuple(settings))
