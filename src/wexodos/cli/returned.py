"""What came back, as the command line tells it to programs."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

from wexodos.carryover import Carried
from wexodos.compare import Difference
from wexodos.homecoming.laying import Doubled, Laid
from wexodos.homecoming.mixes import Returned
from wexodos.homecoming.outcome import Home
from wexodos.homecoming.patterns import counted_patterns
from wexodos.homecoming.whole import Whole
from wexodos.homecoming.within import RATE
from wexodos.homecoming.words import frames_late
from wexodos.report.rows import plain, time_value
from wexodos.timing import Timecode, exact, floor


def returned_data(file: Path, output: Path | None, home: Home, carried: Carried | None) -> dict[str, Any]:
    return {
        "job": str(file),
        "kind": home.kind.value,
        "matched": [matched_data(one, home) for one in home.renders],
        "asked": [
            {
                "file": path.name,
                "why": why,
                "candidates": [{"item_id": one.event.item.id, "score": one.score} for one in candidates],
            }
            for path, why, candidates in home.asked
        ],
        "names": _names(home),
        "unmatched_files": [
            {"file": path.name, "why": why}
            for path, why in [
                *home.others,
                *((one.path, why) for one, why in home.refused),
                *((path, "it was left out") for path in home.unwanted),
            ]
        ],
        "unmatched_items": [
            {
                "item_id": one.item.id,
                "item": one.item.name or one.media.file_name,
                "track": one.track,
                "at": str(home.sequence.timecode(floor(one.item.start))),
                "why": why,
            }
            for one, why in [*home.missing, *((one.found.event, why) for one, why in home.refused)]
        ],
        "doubled": [_doubled(one, what, home) for one in home.renders for what in one.doubled],
        "sync": [_sync(one, home) for one in home.sounds],
        "whole": [_whole(one, home) for one in home.whole],
        "patterns": [
            {"what": what, "count": count, "put_back": back} for what, (count, back) in patterns(home).items()
        ],
        "holes": [
            {
                "file": sound.path.name,
                "at": str(home.sequence.timecode(floor(hole.first))),
                "frame": time_value(hole.first),
                "until": time_value(hole.last),
                "items": [each.item.id for each in hole.items],
            }
            for sound, holes in home.holes
            for hole in holes
        ],
        "changed_since": [
            {"item_id": placed.item.id, "item": placed.item.name, "track": placed.track, "why": why}
            for placed, why in home.changed
        ],
        "differences": [_difference(one, home) for one in home.differences],
        "put_back": [
            {"item": one.item, "what": one.what, "at": str(home.sequence.timecode(floor(one.start)))}
            for one in home.put_back
        ],
        "refused": [_difference(one, home) for one in home.undone],
        "not_refused": [{**_difference(one, home), "why": why} for one, why in home.stuck],
        "unexplained": carried.errors if carried is not None else 0,
        "output": str(output) if output is not None else None,
    }


def _names(home: Home) -> dict[str, Any] | None:
    """How the names of renders are read."""
    one = home.scheme
    if one is None:
        return None
    return {"scheme": one.text, "words": one.words, "fits": one.fits, "of": one.of, "said": one.said}


def patterns(home: Home) -> dict[str, tuple[int, int]]:
    """What was lost over there as such rooms lose it: how often each, and how many of them came home."""
    back = Counter(_pattern(one.what) for one in home.put_back)
    taken = counted_patterns(home.undone)
    there = counted_patterns(home.differences)
    found = {what: (count, count) for what, count in back.most_common()}
    for what in (*taken, *there):
        own = back.get(what, 0) + taken.get(what, 0)
        found[what] = own + there.get(what, 0), own
    return found


def _pattern(what: str) -> str:
    """What was done over there, from what was put back."""
    thing, _, instead = what.partition(" instead of ")
    if instead:
        return f"{thing}s became {'renders' if instead == 'its render' else f'{instead}s'}"
    if what.endswith(" put back"):
        return f"{what.removesuffix(' put back')}s left out"
    return {"speed": "speeds lost, their time kept"}.get(what, f"{what} lost")


def matched_data(one: Laid, home: Home) -> dict[str, Any]:
    event = one.matched.found.event
    return {
        "file": one.matched.path.name,
        "item_id": event.item.id,
        "item": event.item.name or event.media.file_name,
        "track": event.track,
        "at": str(home.sequence.timecode(floor(event.item.start))),
        "frame": time_value(event.item.start),
        "until": time_value(event.item.end),
        "by": [way.value for way in one.matched.found.by],
        "offset_frames": one.offset,
        "short_frames": list(one.short),
        "unsure": one.unsure,
        "laid": True,
    }


def _doubled(one: Laid, what: Doubled, home: Home) -> dict[str, Any]:
    event = one.matched.found.event
    return {
        "item_id": event.item.id,
        "item": event.item.name or event.media.file_name,
        "at": str(home.sequence.timecode(floor(event.item.start))),
        "what": what.what.value,
        "measured": what.measured,
        "switched_off": True,
    }


def _at(sample: int, home: Home) -> Timecode:
    rate = home.sequence.rate
    return home.sequence.timecode(floor(rate.frames(exact(sample, RATE))))


def _sync(one: Returned, home: Home) -> dict[str, Any]:
    rate = one.facts.sample_rate or 48_000
    frames = frames_late(one, home.sequence)
    return {
        "file": one.path.name,
        "within": one.path.parent.name if one.within is not None else None,
        "role": one.role.value,
        "stem": one.stem or None,
        "tracks": list(one.tracks),
        "offset_samples": one.offset,
        "sample_rate": rate,
        "offset_frames": str(frames) if frames is not None else None,
        "drift_ppm": round(one.found.drift, 2) if one.known else None,
        "certainty": round(one.found.certainty, 3),
        "by": [way.value for way in one.by],
        "steps": [
            {"at": str(_at(step.at, home)), "samples": step.samples}
            for step in (one.found.steps if one.known else ())
        ],
        "inverted": one.known and one.found.inverted,
        "laid": one.path in home.laid,
        "switched_on": one.path in home.laid - home.silent,
    }


def _whole(one: Whole, home: Home) -> dict[str, Any]:
    return {
        "file": one.path.name,
        "offset_frames": one.offset,
        "by": one.by.value,
        "certainty": one.certainty,
        "titles_in_it": one.titles,
        "steps": [{"at": str(home.sequence.timecode(at)), "frames": by} for at, by in one.steps],
        "laid": True,
        "switched_on": not home.whole_off,
    }


def _difference(one: Difference, home: Home) -> dict[str, Any]:
    return {
        "at": str(home.sequence.timecode(floor(one.start))),
        "frame": time_value(one.start),
        "until": str(home.sequence.timecode(floor(one.stop))),
        "track": one.track,
        "item": one.item,
        "item_id": one.item_id,
        "kind": one.kind,
        "what": one.what,
        "before": plain(one.before),
        "after": plain(one.after),
    }
