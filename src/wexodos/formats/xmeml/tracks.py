"""The items of one track: where they stand, with the places left open beside transitions settled (3.3)."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

from lxml import etree

from wexodos.formats.errors import ReadError
from wexodos.formats.names import (
    color_in_name,
    sound_transition_type,
    transition_type,
    wipe_pattern,
)
from wexodos.formats.xmeml.coverage import ITEM_IGNORED
from wexodos.formats.xmeml.filters import Filter, raw_of, taken_apart
from wexodos.formats.xmeml.lexical import Element, boolean, color_of, integer, real
from wexodos.formats.xmeml.parameters import parameter_id, shown_parameter
from wexodos.formats.xmeml.tables import TICKS_PER_SECOND
from wexodos.model import Note, Parameter, Transition
from wexodos.model.wipes import wipe_direction
from wexodos.timing import Exact, Rate, exact, round_half_up


@dataclass(slots=True)
class Entry:
    """An item of a track while it is being settled. ``start``, ``end`` in sequence frames, ``begin``, ``out``
    in its own."""

    element: Element
    tag: str
    fields: dict[str, str]
    parts: dict[str, Element]
    filters: list[Filter]
    markers: list[Element]
    links: list[Element]
    unread: list[Element]
    position: int
    rate: Rate
    start: Exact = 0
    end: Exact = 0
    begin: Exact = 0
    out: Exact = 0
    transition: Transition | None = None
    id: str = ""
    spelling: bytes = b""

    def __post_init__(self) -> None:
        self.id = self.element.get("id") or ""


_PARTS = frozenset(
    {
        "file",
        "sequence",
        "multiclip",
        "rate",
        "effect",
        "sourcetrack",
        "labels",
        "logginginfo",
        "comments",
        "timecode",
        "subclipinfo",
        "colorinfo",
    }
)
_TEXTS = frozenset(
    {
        "name",
        "enabled",
        "duration",
        "start",
        "end",
        "in",
        "out",
        "alphatype",
        "compositemode",
        "stillframe",
        "stillframeoffset",
        "pproTicksIn",
        "pproTicksOut",
        "subframeoffset",
        "alignment",
        "cutPointTicks",
    }
)
_ROLES: dict[str, str] = {
    **dict.fromkeys(ITEM_IGNORED, "ignored"),
    **dict.fromkeys(_TEXTS, "text"),
    **dict.fromkeys(_PARTS, "part"),
    "filter": "filter",
    "link": "link",
    "marker": "marker",
}


def gather(element: Element, tag: str, position: int, rate: Rate, known: dict[bytes, list[Filter]]) -> Entry:
    """Sort the children of an item by what they are, in one pass.

    Most items carry the same few filters; ``known`` keeps those taken apart before, by their spelling.
    """
    entry = Entry(element, tag, {}, {}, [], [], [], [], position, rate)
    fields, parts = entry.fields, entry.parts
    filters: list[Element] = []
    links = entry.links
    for child in element:
        name = child.tag
        role = _ROLES.get(name)
        if role == "text":
            fields[name] = child.text or ""
        elif role == "part":
            parts[name] = child
        elif role == "link":
            links.append(child)
        elif role == "filter":
            filters.append(child)
        elif role == "marker":
            entry.markers.append(child)
        elif role is None and (len(child) or (child.text and child.text.strip() not in ("", "FALSE"))):
            entry.unread.append(child)
    if filters:
        entry.spelling = b"".join([etree.tostring(one, with_tail=False) for one in filters])
        apart = known.get(entry.spelling)
        if apart is None:
            apart = known[entry.spelling] = taken_apart(filters)
        entry.filters = apart
    return entry


@dataclass(slots=True)
class Settled:
    """A track's items in order, its transitions, and what had to be guessed."""

    entries: list[Entry] = field(default_factory=list)
    transitions: list[Transition] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)


def settle(entries: list[Entry], rate: Rate, place: str, kind: str, retimed: set[int]) -> Settled:
    """Give every item and transition its extent as if there were no transition.

    ``retimed`` holds the positions of items with a speed change. Raises ``ReadError`` for an item that ends
    before it begins.
    """
    result = Settled()
    for entry in entries:
        fields = entry.fields
        entry.start = _frame(fields.get("start"), -1)
        entry.end = _frame(fields.get("end"), -1)
        entry.begin = _frame(fields.get("in"), 0)
        entry.out = _frame(fields.get("out"), -1)
        if entry.tag == "transitionitem" and -1 != entry.end < entry.start:
            raise ReadError("a transition ends before it begins", f"{place}/item {entry.position}")
        if fields.get("duration", "").lstrip().startswith("-"):
            raise ReadError("the item's duration is negative", f"{place}/{entry.id or entry.position}")
    placeless = [one for one in entries if one.tag == "transitionitem" and -1 in (one.start, one.end)]
    if placeless:
        entries = [one for one in entries if one.tag != "transitionitem" or -1 not in (one.start, one.end)]
        result.notes += [
            Note(
                "warning",
                "no-place",
                f"{place}/item {one.position}",
                "a transition that does not say where it is, is left out",
            )
            for one in placeless
        ]
    for index, entry in enumerate(entries):
        if entry.tag == "transitionitem":
            continue
        before = entries[index - 1] if index and entries[index - 1].tag == "transitionitem" else None
        after = (
            entries[index + 1]
            if index + 1 < len(entries) and entries[index + 1].tag == "transitionitem"
            else None
        )
        _fill_open(entry, before, after, entries, index, rate, place, result)
        if entry.end < entry.start:
            raise ReadError(
                f"item {entry.fields.get('name', '').strip() or entry.id!r} ends before it begins",
                f"{place}/{entry.id}",
            )
    _mend_overlaps(entries, retimed, place, result)
    for index, entry in enumerate(entries):
        if entry.tag == "transitionitem":
            _place_transition(entry, index, entries, rate, place, kind, result)
        else:
            result.entries.append(entry)
            if entry.end < entry.start:
                # Transitions longer than the item itself: nothing is left of it between their cuts.
                entry.end, entry.out = entry.start, entry.begin
                result.notes.append(
                    Note(
                        "warning",
                        "no-length",
                        f"{place}/{entry.id or entry.position}",
                        "the transitions beside it are longer than the item; it has no length of its own",
                    )
                )
            _check_length(entry, rate, place, retimed, result)
    return result


def _mend_overlaps(entries: list[Entry], retimed: set[int], place: str, result: Settled) -> None:
    """Items that overlap although no transition joins them: where an item's ticks disagree with its frames,
    the ticks are right (3.6; seen on one channel of a stereo pair that carried the picture's extents)."""
    for one, other in zip(entries, entries[1:]):
        if "transitionitem" in (one.tag, other.tag) or one.end <= other.start:
            continue
        for entry in (one, other):
            first, last = integer(entry.fields.get("pproTicksIn")), integer(entry.fields.get("pproTicksOut"))
            if first is None or last is None or last <= first or entry.position in retimed:
                continue
            begin, out = (
                round_half_up(exact(Fraction(ticks) * entry.rate.fps / TICKS_PER_SECOND))
                for ticks in (first, last)
            )
            if (begin, out) != (entry.begin, entry.out) and entry.begin <= begin < out <= entry.out:
                entry.start, entry.end = entry.start + (begin - entry.begin), entry.end - (entry.out - out)
                entry.begin, entry.out = begin, out
                result.notes.append(
                    Note(
                        "warning",
                        "ticks",
                        f"{place}/{entry.id or entry.position}",
                        "it overlaps its neighbour; its ticks say where it stands",
                    )
                )


def _frame(text: str | None, default: int) -> Exact:
    if text is None:
        return default
    try:
        return int(text)
    except ValueError:
        value = integer(text)
        return default if value is None else value


def _fill_open(
    entry: Entry,
    before: Entry | None,
    after: Entry | None,
    entries: list[Entry],
    index: int,
    rate: Rate,
    place: str,
    result: Settled,
) -> None:
    open_start, open_end = entry.start == -1, entry.end == -1
    if not (open_start or open_end):
        if entry.out == -1:
            entry.out = entry.begin + (entry.end - entry.start)
        return
    if open_start and before is not None:
        entry.start, open_start = before.start, False
    if open_end and after is not None:
        entry.end, open_end = after.end, False
    if open_start or open_end:
        result.notes.append(
            Note(
                "warning",
                "open-end",
                f"{place}/{entry.id or entry.position}",
                "start or end is left open and no transition stands beside it; counted from its source",
            )
        )
        length = round_half_up(exact(max(entry.out - entry.begin, 0) * Fraction(rate.fps) / entry.rate.fps))
        if open_start and open_end:
            earlier = [one.end for one in entries[:index] if one.tag != "transitionitem"]
            entry.start = earlier[-1] if earlier else 0
            entry.end = entry.start + length
        elif open_end:
            entry.end = entry.start + length
        else:
            entry.start = max(0, entry.end - length)
    if entry.out == -1:
        entry.out = entry.begin + (entry.end - entry.start)


def _place_transition(
    entry: Entry, index: int, entries: list[Entry], rate: Rate, place: str, kind: str, result: Settled
) -> None:
    before = entries[index - 1] if index and entries[index - 1].tag != "transitionitem" else None
    after = (
        entries[index + 1]
        if index + 1 < len(entries) and entries[index + 1].tag != "transitionitem"
        else None
    )
    if before is not None and before.end < entry.start:
        before = None
    if after is not None and after.start > entry.end:
        after = None
    start, end = entry.start, entry.end
    cut = _cut(entry, before, after, rate)
    if before is not None and before.end > cut:
        before.out -= exact((before.end - cut) * Fraction(before.rate.fps) / rate.fps)
        before.end = cut
    if after is not None and after.start < cut:
        after.begin += exact((cut - after.start) * Fraction(after.rate.fps) / rate.fps)
        after.start = cut
    entry.transition = read_transition(
        entry, start, end - start, cut, kind, f"{place}/transition-{entry.position}"
    )
    result.transitions.append(entry.transition)


def _cut(entry: Entry, before: Entry | None, after: Entry | None, rate: Rate) -> Exact:
    """Where the cut lies: a real number of a neighbour inside the transition, ticks, alignment (3.3)."""
    start, end = entry.start, entry.end
    said_end = _frame(before.fields.get("end"), -1) if before is not None else -1
    said_start = _frame(after.fields.get("start"), -1) if after is not None else -1
    if said_end != -1 and said_end == said_start and start <= said_end <= end:
        return said_end
    ticks = integer(entry.fields.get("cutPointTicks"))
    if ticks is not None and ticks >= 0:
        cut = start + round_half_up(exact(Fraction(ticks) * Fraction(rate.fps) / TICKS_PER_SECOND))
        if start <= cut <= end:
            return cut
    for said in (said_end, said_start):
        if said != -1 and start < said < end:
            return said
    alignment = entry.fields.get("alignment", "").strip().lower().replace(" ", "-")
    if alignment.startswith("start"):
        return start
    if alignment.startswith("end"):
        return end
    return start + (end - start) // 2


def _check_length(entry: Entry, rate: Rate, place: str, retimed: set[int], result: Settled) -> None:
    """Items whose source and record lengths disagree: try the other rates the numbers may count in (3.4)."""
    if entry.position in retimed or "file" not in entry.parts or entry.out == -1:
        return
    used, shown = entry.out - entry.begin, entry.end - entry.start
    if used == shown and entry.rate == rate:
        return
    slack = Fraction(2) / min(rate.fps, entry.rate.fps)
    difference = abs(Fraction(used) / entry.rate.fps - Fraction(shown) / rate.fps)
    if difference <= slack:
        return
    if entry.rate != rate and abs(Fraction(used - shown) / rate.fps) <= slack:
        entry.rate = rate
        result.notes.append(
            Note(
                "warning",
                "rate-of-in",
                f"{place}/{entry.id or entry.position}",
                "in and out count in the sequence's rate, not in the item's own",
            )
        )


def read_transition(
    entry: Entry, start: Exact, duration: Exact, cut: Exact, kind: str, transition_id: str
) -> Transition:
    """Read the effect of a ``transitionitem``; a missing one is a dissolve, or equal power for sound."""
    effect = entry.parts.get("effect")
    if effect is None:
        return Transition(
            transition_id, "", "dissolve" if kind == "video" else "audio-equal-power", start, duration, cut
        )
    name = (effect.findtext("name") or "").strip()
    identifier = (effect.findtext("effectid") or "").strip()
    unread = tuple(raw_of(child) for child in entry.unread)
    if kind == "audio":
        sound = sound_transition_type(f"{identifier} {name}")
        return Transition(transition_id, name or identifier, sound, start, duration, cut, raw=unread)
    code = integer(effect.findtext("wipecode")) or 0
    found = transition_type(identifier) or transition_type(name) or ("wipe" if code > 0 else "other")
    parameters: list[Parameter] = []
    color = border_color = direction = None
    softness = border = None
    for parameter in effect.findall("parameter"):
        value = parameter.find("value")
        shown = shown_parameter(parameter)
        label = f"{shown.name} {parameter_id(parameter)}".lower()
        if value is not None and value.find("red") is not None:
            if "border" in label:
                border_color = border_color or color_of(value)
            else:
                color = color or color_of(value)
        elif "softness" in label or "feather" in label:
            softness = real(shown.value)
        elif "border" in label:
            border = real(shown.value)
        elif "direction" in label and real(shown.value) is None:
            direction = shown.value.strip().lower() or None
        parameters.append(shown)
    if found == "dip":
        color = color or color_in_name(f"{identifier} {name}")
    pattern = None
    if found in ("wipe", "iris"):
        pattern = code or wipe_pattern(identifier or name)
        direction = wipe_direction(pattern, boolean(effect.findtext("reverse"), False))
    partial = real(effect.findtext("startratio") or "0") != 0 or real(effect.findtext("endratio") or "1") != 1
    kept = (*unread, raw_of(effect)) if found != "dissolve" or parameters or partial else unread
    return Transition(
        transition_id,
        name or identifier,
        found,
        start,
        duration,
        cut,
        color,
        pattern,
        direction,
        softness,
        border,
        border_color,
        tuple(parameters),
        kept,
    )
