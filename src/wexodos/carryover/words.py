"""What becomes of titles: their words always, their look as far as the far side can, a bar as an item of its
own (N22)."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wexodos.carryover.motions import alpha_of
from wexodos.compare import plain_template
from wexodos.model import Generator, Item, Motion, TextRun, Title, constant
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.leaving import drop, note_in_place
from wexodos.settling.vocabulary import Cause, Remedy

LINE = 1.4
"""Height of a line of text with the space around it, in sizes of its letters: as high as a bar behind it is
drawn."""


def titled(context: Context, work: Work, lane: Lane, item: Item, title: Title) -> Item | None:
    """The title as it goes over; None where it goes only as a note or not at all."""
    takes = context.destination.titles
    if not takes.carry or not title.words_known:
        why = "no text on the far side" if not takes.carry else "the file holds this title without its words"
        _left_out(context, work, lane, item, title, item.kind, why, "set the title again there")
        return None
    left: Item | None = item
    if title.roll is not None and not takes.roll:
        left = _standing(context, work, lane, item, title, title.roll.direction)
    if left is not None and title.bar is not None and not _bar_goes(context, _title(left)):
        left = _without_bar(context, work, lane, left, title.bar)
    # What lost its roll or its bar is not spelled as its own dialect had it any more.
    if left is None or (context.own(title.raw) and _title(left).raw == title.raw):
        return left
    return _plain(context, work, lane, _restyled(context, work, lane, left))


def _title(item: Item) -> Title:
    assert isinstance(item.content, Title)
    return item.content


def _plain(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """The words without the template that drew them."""
    title = _title(item)
    bare = replace(item, content=replace(title, parameters=(), template="", raw=()))
    if not title.parameters and not plain_template(title.template):
        return work.put(lane, item, bare, context.spelled(Cause.TITLE_TEMPLATE))
    settings = ", ".join(f"{one.name} {one.value}".strip() for one in title.parameters)
    reason = context.because(
        work,
        Cause.TITLE_TEMPLATE,
        item,
        lane.label,
        "its template belongs to the other dialect; words, style and place go over plainly",
        "give it its template again there",
        what="template",
        before=f"{title.template}: {settings}"[:300],
        after="plain title",
    )
    return work.put(lane, item, bare, reason)


def _left_out(
    context: Context, work: Work, lane: Lane, item: Item, title: Title, what: str, why: str, do: str
) -> None:
    choice = context.decide(Cause.NO_TITLE, what, item.id, Remedy.NOTE, Remedy.LEAVE)
    noted = choice.remedy is Remedy.NOTE
    if noted:
        do += " from the words in the marker"
    reason = drop(context, work, lane, item, Cause.NO_TITLE, why, do, choice=choice)
    if noted:
        note_in_place(context, work, item, title.words or item.name, reason)


def _standing(
    context: Context, work: Work, lane: Lane, item: Item, title: Title, direction: str
) -> Item | None:
    """A roll or crawl that cannot move there."""
    options = (Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE)
    choice = context.decide(Cause.TITLE_STANDS, "roll", item.id, *options)
    moving = "rolling" if direction == "up" else "crawling"
    why = f"no {moving} text on the far side"
    if choice.remedy is not Remedy.ADAPT:
        do = "set it again there"
        reason = drop(context, work, lane, item, Cause.NO_TITLE, why, do, choice=choice)
        if choice.remedy is Remedy.NOTE:
            note_in_place(context, work, item, title.words, reason)
        return None
    reason = context.because(
        work,
        Cause.TITLE_STANDS,
        item,
        lane.label,
        f"{why}; it stands",
        "make it move again there",
        choice=choice,
        before=moving,
        after="standing",
    )
    return work.put(lane, item, replace(item, content=replace(title, roll=None, raw=())), reason)


def _bar_goes(context: Context, title: Title) -> bool:
    """Whether the bar goes with the words."""
    spelling = context.spells.titles
    if not context.destination.titles.bar or (title.roll is not None and not spelling.bar_rolls):
        return False
    return spelling.bar_lines is None or title.words.count("\n") < spelling.bar_lines


def _without_bar(context: Context, work: Work, lane: Lane, item: Item, bar: str) -> Item:
    """Draw the bar as an item of its own on a track below, or leave it out."""
    title = _title(item)
    bare = replace(item, content=replace(title, bar=None, raw=()))
    can = "colour" in context.destination.generators.kinds
    options = (Remedy.ADAPT, Remedy.LEAVE) if can else (Remedy.LEAVE,)
    choice = context.decide(Cause.BAR_APART, "bar", item.id, *options)
    if choice.remedy is Remedy.LEAVE:
        reason = context.because(
            work,
            Cause.NO_BAR,
            item,
            lane.label,
            "the bar behind the words has no form there",
            "draw the bar again there",
            choice=choice,
            before=bar,
        )
        return work.put(lane, item, bare, reason)
    high = sum(max((run.size or 48.0 for run in line), default=48.0) * LINE for line in title.lines)
    frame = work.sequence.frame_size[1]
    top = min(max(0.5 + (title.origin[1] - high / 2) / frame, 0.0), 1.0)
    bottom = min(max(0.5 - (title.origin[1] + high / 2) / frame, 0.0), 1.0 - top)
    drawn = Item(
        f"{item.id}/bar",
        f"{item.name or 'title'} bar",
        item.start,
        item.duration,
        Generator("colour", "Color", f"{bar[:7]}ff"),
        enabled=item.enabled,
        motion=Motion(crop=constant(0, top, 0, bottom), opacity=constant(alpha_of(bar))),
    )
    reason = context.because(
        work,
        Cause.BAR_APART,
        item,
        lane.label,
        "the bar behind the words has no form there; it stands as an item of its own under them, from one "
        "side of the frame to the other",
        "crop its sides, and look whether it sits right behind the words",
        choice=choice,
        before=bar,
        after="an item on a track below",
        minutes=1,
    )
    place = work.lanes.index(lane)
    below = work.lanes[place - 1] if place else None
    taken = below is None or any(one.span.overlaps(drawn.span) for one in below.items)
    if below is None or "-" not in below.label or taken:
        track = replace(lane.track, items=(), transitions=(), raw=(), name="")
        below = work.lay_lane(place, Lane(f"{lane.label}-", "video", [], [], track), reason)
    work.add(below, [drawn], reason)
    return work.put(lane, item, bare, reason)


def _look(run: TextRun) -> TextRun:
    return replace(run, text="")


def _restyled(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    """The words in styles that the far side can hold; what is lost is named."""
    takes, spelling = context.destination.titles, context.spells.titles
    title = _title(item)
    lost: list[str] = []
    styles = {_look(run) for run in title.runs if run.text.strip()}
    if len(styles) > 1 and not takes.styles:
        title, whole = _one_style(title, by_line=title.bar is not None)
        if not whole:
            words = "all words of a line" if title.bar is not None else "all words"
            lost.append(f"one style for {words} there; the first is used")
    plain = title.roll is None and title.bar is None
    outlined = takes.outline and (plain or spelling.outline_dressed)
    aligns = spelling.aligns
    rules: list[tuple[str, bool, dict[str, Any]]] = [
        (
            "no outlines there",
            not outlined and any(run.outline_color or run.outline_width for run in title.runs),
            {"outline_color": None, "outline_width": None},
        ),
        (
            "no shadows there",
            not takes.shadow and any(run.shadow for run in title.runs),
            {"shadow": None},
        ),
        (
            "no underlines there",
            not takes.underline and any(run.underline for run in title.runs),
            {"underline": False},
        ),
        (
            "no space between letters there",
            not spelling.tracking and any(run.tracking for run in title.runs),
            {"tracking": None},
        ),
        (
            "no space between lines there",
            not spelling.leading and any(run.leading for run in title.runs),
            {"leading": None},
        ),
        (
            "no justified lines there",
            aligns is not None and any(run.align not in (None, *aligns) for run in title.runs),
            {"align": None},
        ),
    ]
    for words, present, changes in rules:
        if present:
            lost.append(words)
            title = replace(title, runs=tuple(replace(run, **changes) for run in title.runs))
    if not spelling.see_through and any(run.color and not run.color.endswith("ff") for run in title.runs):
        lost.append("words are not see-through there")
        runs = tuple(replace(run, color=run.color and f"{run.color[:7]}ff") for run in title.runs)
        title = replace(title, runs=runs)
    reason = context.spelled(Cause.TITLE_STYLE)
    if lost:
        reason = context.because(
            work,
            Cause.TITLE_STYLE,
            item,
            lane.label,
            "; ".join(lost),
            "style the words again there",
            what="style",
            before=f"{len(styles)} styles",
            after="as named",
        )
    return work.put(lane, item, replace(item, content=title), reason)


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
