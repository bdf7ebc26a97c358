"""Steps on what items show: titles, generators, adjustment items, filters, blends, alpha, notes."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import FATE_OF, Fate, Remedy
from wexodos.carryover.inventory import numbered
from wexodos.carryover.structure import drop, note_in_place
from wexodos.model import Adjustment, Generator, Item, MediaUse, Title


def contents(context: Context, work: Work) -> None:
    """Adapt every item's content."""
    for lane in work.lanes:
        for item in list(lane.items):
            changed: Item | None = item
            if isinstance(item.content, Title):
                changed = _title(context, work, lane, item, item.content)
            elif isinstance(item.content, Generator):
                changed = _generator(context, work, lane, item, item.content)
            elif isinstance(item.content, Adjustment):
                changed = _adjustment(context, work, lane, item)
            elif isinstance(item.content, MediaUse) and item.content.media not in context.document.media_by_id:
                drop(context, work, lane, item, Fate.LEFT, "the file does not say which medium it is", "relink it first")
                changed = None
            if changed is not None:
                changed = _dressing(context, work, lane, changed)
                if changed is not item:
                    lane.items[lane.items.index(item)] = changed


def _title(context: Context, work: Work, lane: Lane, item: Item, title: Title) -> Item | None:
    takes = context.destination.titles
    if not takes.carry or not title.words_known:
        why = "no text on the far side" if not takes.carry else "the file holds this title without its words"
        options: tuple[Remedy, ...] = (Remedy.NOTE, Remedy.LEAVE)
        remedy = context.decide("title", "title", item.id, *options)
        added: tuple[str, ...] = ()
        if remedy is Remedy.NOTE:
            added = note_in_place(work, item, title.words or item.name)
        drop(context, work, lane, item, FATE_OF[remedy], why, "set the title again there" +
             (" from the words in the marker" if remedy is Remedy.NOTE else ""), remedy, options, also=added)
        return None
    if title.roll is not None and not takes.roll:
        options = (Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE)
        remedy = context.decide("title", "roll", item.id, *options)
        moving = "rolling" if title.roll.direction == "up" else "crawling"
        if remedy is not Remedy.ADAPT:
            added = note_in_place(work, item, title.words) if remedy is Remedy.NOTE else ()
            drop(context, work, lane, item, FATE_OF[remedy], f"no {moving} text on the far side", "set it again there", remedy,
                 options, also=added)
            return None
        context.remedied(work, "title", "roll", item, lane.label, remedy, options, f"no {moving} text on the far side; it stands",
                         "make it move again there", ("movement of the words",), before=moving, after="standing")
        title = replace(title, roll=None)
    if title.bar is not None and not takes.bar:
        context.find(work, "title", "bar", item, lane.label, Fate.LEFT, "the bar behind the words has no form there",
                     "draw the bar again there", ("bar",), before=title.bar)
        title = replace(title, bar=None)
    styles = {(run.font, run.size, run.bold, run.italic, run.color, run.align) for run in title.runs if run.text.strip()}
    if len(styles) > 1 and not takes.styles:
        first = next(run for run in title.runs if run.text.strip())
        context.find(work, "title", "style", item, lane.label, Fate.ADAPTED, "one style for all words there; the first is used",
                     "style the other words again", ("style",), before=f"{len(styles)} styles", after="1 style")
        title = replace(title, runs=(replace(first, text=title.words),))
    return replace(item, content=title)


def _generator(context: Context, work: Work, lane: Lane, item: Item, generator: Generator) -> Item | None:
    if generator.kind in context.destination.generators.kinds:
        return item
    options = (Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("generator", generator.kind, item.id, *options)
    name = generator.name or generator.kind
    added = note_in_place(work, item, f"generator: {name}") if remedy is Remedy.NOTE else ()
    drop(context, work, lane, item, FATE_OF[remedy], f"the far side does not make {name!r}", "make it again there", remedy, options,
         also=added)
    return None


def _adjustment(context: Context, work: Work, lane: Lane, item: Item) -> Item | None:
    same = all(effect.raw is not None and effect.raw.dialect == context.destination.format for effect in item.effects)
    if context.destination.filters.carry and same and context.destination.format == "xmeml":
        return item
    settings = "; ".join(effect.name for effect in item.effects) or "no filters"
    options = (Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("filter", "adjustment", item.id, *options)
    added = note_in_place(work, item, f"adjustment: {settings}") if remedy is Remedy.NOTE else ()
    below = tuple(one.id for other in work.lanes if other.kind == "video" for one in other.items
                  if one.span.overlaps(item.span))
    drop(context, work, lane, item, FATE_OF[remedy], "no adjustment items on the far side", f"filter what lies below: {settings}",
         remedy, options, covers=("filters",), also=(*added, *below))
    return None


def _dressing(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    item = _filters(context, work, lane, item)
    destination = context.destination
    if item.blend != "normal" and destination.pictures.blends != "all" and item.blend not in destination.pictures.blends:
        context.find(work, "opacity", "blend mode", item, lane.label, Fate.LEFT, f"no blend mode {item.blend!r} there",
                     "blend it again there", ("blend mode",), before=item.blend, after="normal")
        item = replace(item, blend="normal")
    told = item.alpha and item.alpha != "none" and not isinstance(item.content, Title | Generator)
    if not destination.pictures.alpha and item.alpha:
        if told:
            context.find(work, "media", "alpha", item, lane.label, Fate.LEFT,
                         f"the dialect cannot say that its alpha is {item.alpha!r}; the receiver looks into the file itself",
                         "check that it is transparent there", ("alpha",), before=item.alpha, after="not said")
        item = replace(item, alpha=None)
    if item.label and not destination.tracks.labels:
        context.find(work, "metadata", "label", item, lane.label, Fate.LEFT, "colour labels have no form there", "nothing",
                     ("label",), before=item.label)
        item = replace(item, label=None)
    foreign = [raw for raw in item.raw if raw.dialect != destination.format]
    for name in numbered([raw.tag for raw in foreign]):
        context.find(work, "metadata", name, item, lane.label, Fate.LEFT,
                     "Wexodos does not understand this element; it belongs to the other dialect", "kept for the way back",
                     ("unread elements",))
    return replace(item, raw=tuple(raw for raw in item.raw if raw.dialect == destination.format)) if foreign else item


def _filters(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    if not item.effects:
        return item
    kept, options = [], (Remedy.LEAVE, Remedy.NOTE)
    for effect, name in zip(item.effects, numbered([effect.name for effect in item.effects])):
        same = effect.raw is not None and effect.raw.dialect == context.destination.format
        if context.destination.filters.carry and same:
            kept.append(effect)
            continue
        remedy = context.decide("filter", name, item.id, *options)
        settings = ", ".join(f"{one.name} {one.value}" + (f" ({one.keys} keys)" if one.keys else "") for one in effect.parameters)
        added: tuple[str, ...] = ()
        covers: tuple[str, ...] = ("filters",)
        if remedy is Remedy.NOTE:
            added = note_in_place(work, item, f"{effect.name}: {settings}"[:400])
            covers = ("filters", "marker")
        why = "no filters on the far side" if not context.destination.filters.carry else "this filter is unknown in the other dialect"
        context.remedied(work, "filter", name, item, lane.label, remedy, options, why, "filter it again there with these settings",
                         covers, before=settings or effect.name, also=added)
    return replace(item, effects=tuple(kept))
