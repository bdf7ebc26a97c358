"""The ledger as a picture: the cut above, what was written below, the fates between them; drawn as SVG for
the page."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape

from wexodos.carryover import Carried, Fate
from wexodos.model import Item, Sequence
from wexodos.timing import Exact

WIDTH, LABEL, ROW, SEAM, RULER = 1160.0, 40.0, 15.0, 34.0, 18.0
COLORS = {
    Fate.CARRIED: "#8fa39d",
    Fate.ADAPTED: "#8a6100",
    Fate.BAKED: "#1f6b80",
    Fate.NOTED: "#6c4ba0",
    Fate.LEFT: "#b03a22",
}
_GRAVITY = {fate: place for place, fate in enumerate(Fate)}
_NARROW = 0.35
"""Items narrower than this, in units of the picture, are drawn with their neighbour: ten thousand would make
a huge page."""


def picture(carried: Carried) -> str:
    """Return the ledger as one SVG element; its width is ``WIDTH`` units."""
    before, after = carried.sequence, carried.returned_sequence
    length = max(before.duration, after.duration, 1)
    worst: dict[str, Fate] = {}
    for finding in carried.findings:
        for item_id in finding.touched:
            known = worst.get(item_id, Fate.CARRIED)
            worst[item_id] = max(known, finding.fate, key=lambda fate: _GRAVITY[fate])

    def x(frame: Exact) -> float:
        return LABEL + (WIDTH - LABEL) * float(frame) / length

    parts: list[str] = []
    y = RULER
    for place in range(9):
        frame = length * place // 8
        parts.append(
            f'<line x1="{x(frame):.1f}" y1="{RULER - 4}" x2="{x(frame):.1f}" y2="{{bottom}}" class="grid"/>'
        )
        if place < 8:
            parts.append(
                f'<text x="{x(frame) + 3:.1f}" y="11" class="tc">{escape(str(before.timecode(frame)))}</text>'
            )
    top = list(_tracks(before))
    for label, items in top:
        parts.extend(_row(label, items, y, x, worst))
        y += ROW
    seam = y + SEAM / 2
    parts.append(f'<rect x="{LABEL}" y="{y + 4}" width="{WIDTH - LABEL}" height="{SEAM - 8}" class="seam"/>')
    parts.append(f'<text x="0" y="{seam + 4}" class="label">fates</text>')
    last: dict[Fate, float] = {}
    marked = [one for one in carried.findings if not one.closely]
    for finding in sorted(marked, key=lambda one: one.start):
        at = x(min(finding.start, length))
        if at - last.get(finding.fate, -9.0) >= 2.0:
            last[finding.fate] = at
            parts.append(_mark(finding.fate, at, seam))
    y += SEAM
    for label, items in _tracks(after):
        parts.extend(_row(label, items, y, x, worst))
        y += ROW
    drawn = "".join(parts).replace("{bottom}", f"{y + 2:.0f}")
    return (
        f'<svg class="ledger" viewBox="0 0 {WIDTH:.0f} {y + 4:.0f}" role="img" aria-label="the cut '
        "above, what was written "
        f'below">{drawn}</svg>'
    )


def _tracks(sequence: Sequence) -> Iterator[tuple[str, tuple[Item, ...]]]:
    """Picture tracks from the highest down, then sound from the first down, as the ledger shows them."""
    rows = [(label, track.items) for label, track in sequence.labelled_tracks()]
    yield from reversed([row for row in rows if row[0].startswith("V")])
    yield from (row for row in rows if row[0].startswith("A"))


def _row(label: str, items: tuple[Item, ...], y: float, x, worst: dict[str, Fate]) -> Iterator[str]:  # type: ignore[no-untyped-def]
    yield f'<text x="0" y="{y + 11}" class="label">{escape(label)}</text>'
    drawn = -1.0
    for item in items:
        left, right = x(item.start), x(item.end)
        if right - drawn < _NARROW:
            continue
        drawn = right
        fate = worst.get(item.id, Fate.CARRIED)
        dim = "" if item.enabled else ' opacity="0.35"'
        yield (
            f'<rect x="{left:.1f}" y="{y + 2}" width="{max(right - left - 0.6, 0.5):.1f}" '
            f'height="{ROW - 4}" rx="1.5" '
            f'fill="{COLORS[fate]}"{dim}/>'
        )


def _mark(fate: Fate, x: float, y: float) -> str:
    """The fate's shape: told apart without its colour."""
    color = COLORS[fate]
    if fate is Fate.ADAPTED:
        return f'<path d="M{x:.1f} {y - 6}l6 6-6 6-6-6z" fill="none" stroke="{color}" stroke-width="1.5"/>'
    if fate is Fate.BAKED:
        return f'<rect x="{x - 5:.1f}" y="{y - 5}" width="10" height="10" fill="{color}"/>'
    if fate is Fate.NOTED:
        flag = f"M{x - 4:.1f} {y - 6}v12m0-11l9 3-9 4z"
        return f'<path d="{flag}" fill="{color}" stroke="{color}" stroke-width="1.5"/>'
    return (
        f'<circle cx="{x:.1f}" cy="{y}" r="5" fill="none" stroke="{color}" stroke-width="1.7"/>'
        f'<path d="M{x - 3.5:.1f} {y + 3.5}l7-7" stroke="{color}" stroke-width="1.7"/>'
    )
