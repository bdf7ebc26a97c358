"""Holding what was written against what went in: every difference must be one that a finding names."""

from __future__ import annotations

from collections import defaultdict

from wexodos.carryover.findings import Fate, Finding
from wexodos.carryover.library import unused
from wexodos.compare import Difference, compare
from wexodos.model import Angles, Document, NestedUse, Sequence

_FREE = frozenset({("settings", "length")})
_KINDS = {
    "position": "motion",
    "size": "motion",
    "rotation": "motion",
    "crop": "motion",
    "opacity": "opacity",
    "blend mode": "opacity",
    "mix": "transition",
    "transition": "transition",
    "transition length": "transition",
    "level": "level",
    "pan": "pan",
    "source frames": "speed",
    "source samples": "speed",
    "speed": "speed",
    "filters": "filter",
    "words": "title",
    "style": "title",
    "marker": "marker",
    "marker colour": "marker",
    "marker length": "marker",
    "marker kind": "marker",
    "track": "track",
    "channels": "channels",
    "mute": "mute",
    "media": "media",
    "media path": "media",
    "reel": "media",
    "media start": "media",
    "alpha": "media",
    "label": "metadata",
    "note": "metadata",
    "metadata": "metadata",
    "corners": "motion",
    "filter settings": "filter",
    "bar": "title",
    "template": "title",
    "title settings": "title",
    "roll": "title",
    "movement of the words": "title",
    "place of the words": "title",
    "generator": "generator",
    "generator settings": "generator",
    "angle": "angles",
    "angles": "angles",
    "transition colour": "transition",
    "transition pattern": "transition",
    "transition direction": "transition",
    "transition edge": "transition",
}


def differences(
    original: Document, sequence: Sequence, returned: Document, sent: Document, ids: bool = False
) -> list[Difference]:
    """Compare the sequence that went in with the first top-level one of the file that was read back, and the
    media and folders around it with those that were to be sent."""
    found = compare(original, sequence, returned, returned.top_level[0], ids)
    there = {media.file_name.lower() for media in returned.media}
    going = {media.id for media in sent.media}
    found += [
        Difference(
            "gone", "unused media", media.file_name, f"media:{media.id}", "", 0, 0, media.file_name, None
        )
        for media in unused(original, sequence)
        if media.id in going and media.file_name.lower() not in there
    ]
    paths = {folder.path for folder in returned.folders}
    found += [
        Difference("gone", "folder", folder.path, f"folder:{folder.path}", "", 0, 0, folder.path, None)
        for folder in sent.folders
        if folder.path not in paths
    ]
    return found


_INHERITED = frozenset(
    {
        "position",
        "size",
        "rotation",
        "corners",
        "opacity",
        "mix",
        "level",
        "pan",
        "extent",
        "filters",
        "source frames",
        "source samples",
    }
)
"""What a nest hands on to everything inside it: a change of the nest shows on the items within."""


def unexplained(findings: tuple[Finding, ...], found: list[Difference], original: Document) -> list[Finding]:
    """Return a finding for every difference that no finding of the plan names."""
    around = _nests_around(original)
    by_item: dict[str, list[Finding]] = defaultdict(list)
    everywhere: set[str] = set()
    for finding in findings:
        everywhere |= finding.everywhere
        for item_id in {finding.item_id, *finding.also}:
            by_item[item_id].append(finding)
    shortened = any("gone" in finding.covers or "record end" in finding.covers for finding in findings)
    return [
        _error(one)
        for one in found
        if not ((one.kind, one.what) in _FREE and shortened)
        and f"{one.track[:1]}:{one.what}" not in everywhere
        and not any(_names(finding, one) for name in _known_as(one) for finding in by_item.get(name, ()))
        and not (
            one.what in _INHERITED
            and any(
                one.what in finding.covers
                for nest in around.get(one.item_id, ())
                for finding in by_item.get(nest, ())
            )
        )
    ]


def _known_as(one: Difference) -> tuple[str, ...]:
    """The names under which a finding may speak of what differs: transitions go by their place too, as they
    have no id there."""
    if one.what != "transition":
        return (one.item_id,)
    return one.item_id, f"join@{'v' if one.track[:1] == 'V' else 'a'}@{one.start}"


def _nests_around(document: Document) -> dict[str, set[str]]:
    """For every item inside a nested sequence the ids of the nests, near and far, that it is seen through."""
    uses: dict[str, list[tuple[str, str]]] = defaultdict(list)
    for sequence in document.sequences:
        for item in sequence.items():
            inside = (
                [item.content.sequence]
                if isinstance(item.content, NestedUse)
                else [angle.sequence for angle in item.content.angles if angle.sequence]
                if isinstance(item.content, Angles)
                else []
            )
            for nested in inside:
                uses[nested].append((item.id, sequence.id))
    found: dict[str, set[str]] = {}
    for sequence in document.sequences:
        outer: set[str] = set()
        waiting, seen = [sequence.id], {sequence.id}
        while waiting:
            for item_id, inside_of in uses.get(waiting.pop(), ()):
                outer.add(item_id)
                if inside_of not in seen:
                    seen.add(inside_of)
                    waiting.append(inside_of)
        if outer:
            found.update((item.id, outer) for item in sequence.items())
    return found


def _names(finding: Finding, difference: Difference) -> bool:
    """Whether a finding says this difference: the aspect it changed, or that the whole item goes or comes."""
    if difference.what in finding.covers:
        return True
    return (
        difference.kind in ("gone", "added")
        and difference.what != "transition"
        and difference.kind in finding.covers
    )


def _error(one: Difference) -> Finding:
    kind = "settings" if one.kind == "settings" else _KINDS.get(one.what, "clip")
    return Finding(
        kind,
        f"{one.kind}: {one.what}",
        one.item,
        one.item_id,
        one.track,
        one.start,
        one.stop,
        Fate.LEFT,
        "the file that was written differs here, and nothing in the plan says so",
        "report this: it is a fault of Wexodos",
        before=one.before,
        after=one.after,
        deviation=one.deviation,
        explained=False,
    )
