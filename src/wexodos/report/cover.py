"""The cover sheet of a package: what the people in the next room have to know before they open anything."""

from __future__ import annotations

from collections.abc import Sequence as Several
from importlib import resources
from typing import Any

import jinja2

from wexodos.carryover import Carried
from wexodos.carryover.grouping import rows
from wexodos.ground.names import visible
from wexodos.model import Sequence
from wexodos.timing import Timecode, floor


def cover(
    carried: Several[Carried], files: Several[str], contact: str, missing: Several[str], made: str
) -> bytes:
    """A page on sequences that leave together. ``files`` are the names of their files, ``missing`` those of
    media that do not come along, ``made`` the day."""
    text = (resources.files("wexodos.report") / "cover.html.j2").read_text(encoding="utf-8")
    page = jinja2.Environment(
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=lambda value: visible(value, True) if type(value) is str else value,
    ).from_string(text)
    told = {
        "title": carried[0].sequence.name if len(carried) == 1 else f"{len(carried)} sequences",
        "destination": carried[0].destination.name,
        "contact": contact,
        "missing": missing,
        "made": made,
        "sequences": [_told(one, name) for one, name in zip(carried, files)],
    }
    return page.render(cover=told).encode("utf-8", "replace")


def _told(carried: Carried, file: str) -> dict[str, Any]:
    """What arrives, in words; what is to be done there counts from the cut that left."""
    sequence = carried.sequence
    arriving = carried.made.document.sequences_by_id.get(sequence.id, sequence)
    by_hand = [row for row in rows(carried.findings) if row.minutes > 0 and row.explained]
    baked = [row for row in rows(carried.findings) if row.fate.value == "baked"]
    return {
        "name": sequence.name,
        "file": file,
        "facts": _facts(carried, arriving),
        "tracks": [
            {"label": label, "name": track.name, "stem": track.role or "", "clips": len(track.items)}
            for label, track in arriving.labelled_tracks()
        ],
        "minutes": carried.minutes,
        "by_hand": [
            {
                "at": str(sequence.timecode(floor(row.start))),
                "thing": row.thing,
                "do": row.do,
                "minutes": row.minutes,
            }
            for row in sorted(by_hand, key=lambda row: row.start)
        ],
        "baked": [{"at": str(sequence.timecode(floor(row.start))), "thing": row.thing} for row in baked],
        "sync": _sync(arriving),
    }


def _facts(carried: Carried, sequence: Sequence) -> list[tuple[str, str]]:
    turnover = carried.destination.turnover
    wide, tall = sequence.frame_size
    found = [
        ("frame size", f"{wide}×{tall}"),
        ("rate", f"{sequence.rate.label()} fps, {'drop frame' if sequence.drop_frame else 'non-drop frame'}"),
        ("begins at", str(sequence.timecode(0))),
        ("length", f"{Timecode(sequence.duration, sequence.rate, sequence.drop_frame)}"),
        ("fields", sequence.field_order),
    ]
    if sequence.pixel_aspect != 1:
        found.append(("pixel aspect", str(sequence.pixel_aspect)))
    rate = turnover.sample_rate or sequence.sample_rate
    own = turnover.sound != "source"
    if rate:
        found.append(("sound", f"{rate} Hz, {turnover.bits} bits" if own else f"{rate} Hz"))
    if own:
        found.append(("handles", f"{turnover.handles:g} s on either side"))
    return found


def _sync(sequence: Sequence) -> str:
    """Where the first picture begins, by which sound and picture can be laid."""
    items = (item for track in sequence.video_tracks for item in track.items)
    first = min((item for item in items if item.enabled), key=lambda item: item.start, default=None)
    if first is None:
        return ""
    return f"{first.name or 'the first picture'} begins at {sequence.timecode(floor(first.start))}"
