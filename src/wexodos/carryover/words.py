"""What becomes of titles: their words always, their look as far as the far side can, a bar as an item of its
own (N22)."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import FATE_OF, Fate, Remedy
from wexodos.carryover.options import OBJECTS
from wexodos.carryover.structure import TRACKS, drop, note_in_place
from wexodos.compare import plain_template
from wexodos.model import Generator, Item, Motion, TextRun, Title, constant

LINE = 1.4
"""Height of a line of text with the space around it, in sizes of its letters: as high as a bar behind it is
drawn."""


def titled(context: Context, work: Work, lane: Lane, item: Item, title: Title) -> Item | None:
    """The title as it goes over; None where it goes only as a note or not at all."""
    takes = context.destination.titles
    if not takes.carry or not title.words_known:
        why = "no text on the far side" if not takes.carry else "the file holds this title without its words"
        _left_out(context, work, lane, item, title, "title", why, "set the title again there")
        return None
    if title.roll is not None and not takes.roll:
        standing = _standing(context, work, lane, item, title, title.roll.direction)
        if standing is None:
            return None
        title = standing
    if title.bar is not None and not _bar_goes(context, title):
        title = _without_bar(context, work, lane, item, title, title.bar)
    own = any(raw.dialect == context.destination.format for raw in title.raw)
    if not own:
        title = _restyled(context, work, lane, item, title)
        if title.parameters or plain_template(title.template):
            settings = ", ".join(f"{one.name} {one.value}".strip() for one in title.parameters)
            context.find(
                work,
                "title",
                "template",
                item,
                lane.label,
                Fate.ADAPTED,
                "its template belongs to the other dialect; words, style and place go over plainly",
                "give it its template again there",
                ("template", "title settings"),
                before=f"{title.template}: {settings}"[:300],
                after="plain title",
            )
            title = replace(title, parameters=(), template="")
    return replace(item, content=title)


def _left_out(
    context: Context, work: Work, lane: Lane, item: Item, title: Title, what: str, why: str, do: str
) -> None:
    options = (Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("title", what, item.id, *options)
    added: tuple[str, ...] = ()
    if remedy is Remedy.NOTE:
        added = note_in_place(work, item, title.words or item.name)
    drop(
        context,
        work,
        lane,
        item,
        FATE_OF[remedy],
        why,
        do + (" from the words in the marker" if remedy is Remedy.NOTE else ""),
        remedy,
        options,
        also=added,
    )


def _standing(
    context: Context, work: Work, lane: Lane, item: Item, title: Title, direction: str
) -> Title | None:
    """A roll or crawl that cannot move there."""
    options = (Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE)
    remedy = context.decide("title", "roll", item.id, *options)
    moving = "rolling" if direction == "up" else "crawling"
    if remedy is not Remedy.ADAPT:
        added = note_in_place(work, item, title.words) if remedy is Remedy.NOTE else ()
        drop(
            context,
            work,
            lane,
            item,
            FATE_OF[remedy],
            f"no {moving} text on the far side",
            "set it again there",
            remedy,
            options,
            also=added,
        )
        return None
    context.remedied(
        work,
        "title",
        "roll",
        item,
        lane.label,
        remedy,
        options,
        f"no {moving} text on the far side; it stands",
        "make it move again there",
        ("movement of the words", "roll"),
        before=moving,
        after="standing",
    )
    return replace(title, roll=None, raw=())


def _bar_goes(context: Context, title: Title) -> bool:
    """Whether the bar goes with the words: Track XML has it for lower thirds of one or two lines (10.1)."""
    if not context.destination.titles.bar:
        return False
    return context.destination.format != "xmeml" or (title.words.count("\n") < 2 and title.roll is None)


def _without_bar(context: Context, work: Work, lane: Lane, item: Item, title: Title, bar: str) -> Title:
    """Draw the bar as an item of its own on a track below, or leave it out."""
    can = "colour" in context.destination.generators.kinds
    options = (Remedy.ADAPT, Remedy.LEAVE) if can else (Remedy.LEAVE,)
    remedy = context.decide("title", "bar", item.id, *options)
    if remedy is Remedy.LEAVE:
        context.remedied(
            work,
            "title",
            "bar",
            item,
            lane.label,
            remedy,
            options,
            "the bar behind the words has no form there",
            "draw the bar again there",
            ("bar",),
            before=bar,
        )
        return replace(title, bar=None, raw=())
    high = sum(max((run.size or 48.0 for run in line), default=48.0) * LINE for line in title.lines)
    frame = work.sequence.frame_size[1]
    top = min(max(0.5 + (title.origin[1] - high / 2) / frame, 0.0), 1.0)
    bottom = min(max(0.5 - (title.origin[1] + high / 2) / frame, 0.0), 1.0 - top)
    drawn = Item(
        f"{item.id}/bar",
        f"{item.name or 'title'} bar",
        item.start,
        item.duration,
        Generator("colour", "Color", bar),
        enabled=item.enabled,
        motion=Motion(crop=constant(0, top, 0, bottom)),
    )
    below = _track_below(work, lane, drawn)
    context.remedied(
        work,
        "title",
        "bar",
        item,
        lane.label,
        remedy,
        options,
        "the bar behind the words has no form there; it stands as an item of its own under them",
        "look whether it sits right behind the words",
        ("bar", "added"),
        also=(drawn.id,),
        before=bar,
        after=f"an item on {below.label}",
        everywhere=TRACKS,
        minutes=1,
    )
    return replace(title, bar=None, raw=())


def _track_below(work: Work, lane: Lane, drawn: Item) -> Lane:
    """A track of ours right under ``lane`` that is free where the bar goes; a new one otherwise."""
    place = work.lanes.index(lane)
    below = work.lanes[place - 1] if place else None
    if (
        below is None
        or not below.label.endswith("-")
        or any(one.span.overlaps(drawn.span) for one in below.items)
    ):
        below = Lane(f"{lane.label}-", "video", [], [], replace(lane.track, items=(), transitions=(), raw=()))
        work.lanes.insert(place, below)
    below.items.append(drawn)
    below.items.sort(key=lambda one: one.start)
    return below


def _look(run: TextRun) -> TextRun:
    return replace(run, text="")


def _restyled(context: Context, work: Work, lane: Lane, item: Item, title: Title) -> Title:
    """The words in styles that the far side can hold; what is lost is named."""
    takes = context.destination.titles
    track_xml = context.destination.format == "xmeml"
    lost: list[str] = []
    styles = {_look(run) for run in title.runs if run.text.strip()}
    if len(styles) > 1 and not takes.styles:
        title, whole = _one_style(title, by_line=title.bar is not None)
        if not whole:
            lost.append(
                "one style for all words of a line there; the first is used"
                if title.bar is not None
                else "one style for all words there; the first is used"
            )

    def without(what: str, present: bool, **changes: object) -> None:
        nonlocal title
        if present:
            lost.append(f"no {what} there")
            title = replace(title, runs=tuple(replace(run, **changes) for run in title.runs))  # type: ignore[arg-type]

    plain = title.roll is None and title.bar is None
    without(
        "outlines",
        any(run.outline_color or run.outline_width for run in title.runs)
        and not (takes.outline and (plain or not track_xml)),
        outline_color=None,
        outline_width=None,
    )
    without("shadows", any(run.shadow for run in title.runs) and not takes.shadow, shadow=None)
    without("underlines", any(run.underline for run in title.runs) and not takes.underline, underline=False)
    if track_xml:
        without(
            "justified lines",
            any(run.align not in (None, "left", "center", "right") for run in title.runs),
            align=None,
        )
    if context.destination.format in OBJECTS:
        without("space between letters", any(run.tracking for run in title.runs), tracking=None)
        without("space between lines", any(run.leading for run in title.runs), leading=None)
        without(
            "justified lines",
            any(run.align not in (None, "left", "center", "right") for run in title.runs),
            align=None,
        )
        if any(run.color and not run.color.endswith("ff") for run in title.runs):
            lost.append("words are not see-through there")
            title = replace(
                title,
                runs=tuple(replace(run, color=run.color and f"{run.color[:7]}ff") for run in title.runs),
            )
    if lost:
        context.find(
            work,
            "title",
            "style",
            item,
            lane.label,
            Fate.ADAPTED,
            "; ".join(lost),
            "style the words again there",
            ("style",),
            before=f"{len(styles)} styles",
            after="as named",
        )
    return title


def _one_style(title: Title, by_line: bool) -> tuple[Title, bool]:
    """The title with one style for all its words, or one for each line; and whether that changed nothing."""
    first = next(run for run in title.runs if run.text.strip())
    if not by_line:
        return replace(title, runs=(replace(first, text=title.words),)), False
    rows = title.lines
    runs, whole = [], True
    for number, row in enumerate(rows):
        style = row[0] if row else first
        whole = whole and len({_look(run) for run in row if run.text.strip()}) < 2
        text = "".join(run.text for run in row) + ("\n" if number < len(rows) - 1 else "")
        runs.append(replace(style, text=text))
    return replace(title, runs=tuple(runs)), whole
