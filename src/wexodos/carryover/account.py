"""Holding what was written against what went in: every difference must be one that a finding names."""

from __future__ import annotations

from collections import defaultdict

from wexodos.carryover.findings import Fate, Finding
from wexodos.carryover.library import unused
from wexodos.compare import Difference, compare
from wexodos.model import Document, Sequence

_FREE = frozenset({("settings", "length")})
_KINDS = {
    "position": "motion", "size": "motion", "rotation": "motion", "crop": "motion", "opacity": "opacity", "blend mode": "opacity",
    "mix": "transition", "transition": "transition", "transition length": "transition", "level": "level", "pan": "pan",
    "source frames": "speed", "source samples": "speed", "speed": "speed", "filters": "filter", "words": "title", "style": "title",
    "marker": "marker", "marker colour": "marker", "marker length": "marker", "marker kind": "marker", "track": "track",
    "channels": "channels", "mute": "mute", "media": "media", "media path": "media", "reel": "media", "media start": "media",
    "alpha": "media", "label": "metadata", "note": "metadata", "corners": "motion", "filter settings": "filter",
    "bar": "title", "template": "title", "title settings": "title", "roll": "title", "movement of the words": "title",
    "place of the words": "title", "generator": "generator", "generator settings": "generator", "angle": "angles",
    "angles": "angles", "transition colour": "transition", "transition pattern": "transition",
    "transition direction": "transition", "transition edge": "transition",
}


def differences(original: Document, sequence: Sequence, returned: Document, sent: Document) -> list[Difference]:
    """Compare the sequence that went in with the first top-level one of the file that was read back, and the media and folders
    around it with those that were to be sent."""
    found = compare(original, sequence, returned, returned.top_level[0])
    there = {media.file_name.lower() for media in returned.media}
    found += [Difference("gone", "unused media", media.file_name, f"media:{media.id}", "", 0, 0, media.file_name, None)
              for media in unused(sent, sequence) if media.file_name.lower() not in there]
    paths = {folder.path for folder in returned.folders}
    found += [Difference("gone", "folder", folder.path, f"folder:{folder.path}", "", 0, 0, folder.path, None)
              for folder in sent.folders if folder.path not in paths]
    return found


def unexplained(findings: tuple[Finding, ...], found: list[Difference]) -> list[Finding]:
    """Return a finding for every difference that no finding of the plan names."""
    by_item: dict[str, list[Finding]] = defaultdict(list)
    everywhere: set[tuple[str, str]] = set()
    for finding in findings:
        # Picture tracks that come or go move no sound tracks.
        everywhere |= {(finding.track[:1], what) for what in finding.everywhere}
        for item_id in {finding.item_id, *finding.also}:
            by_item[item_id].append(finding)
    shortened = any("gone" in finding.covers or "record end" in finding.covers for finding in findings)
    return [
        _error(one) for one in found
        if not ((one.kind, one.what) in _FREE and shortened)
        and not {(one.track[:1], one.what), ("", one.what)} & everywhere
        and not any(_names(finding, one) for finding in by_item.get(one.item_id, ()))
    ]


def _names(finding: Finding, difference: Difference) -> bool:
    """Whether a finding says this difference: the aspect it changed, or that the whole item goes or comes."""
    if difference.what in finding.covers:
        return True
    return difference.kind in ("gone", "added") and difference.what != "transition" and difference.kind in finding.covers


def _error(one: Difference) -> Finding:
    kind = "settings" if one.kind == "settings" else _KINDS.get(one.what, "clip")
    return Finding(
        kind, f"{one.kind}: {one.what}", one.item, one.item_id, one.track, one.start, one.stop, Fate.LEFT,
        "the file that was written differs here, and nothing in the plan says so", "report this: it is a fault of Wexodos",
        before=one.before, after=one.after, deviation=one.deviation, explained=False,
    )
