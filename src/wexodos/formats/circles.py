"""Sequences that would hold themselves."""

from __future__ import annotations

from wexodos.formats.errors import ReadError
from wexodos.model import Angles, NestedUse, Sequence


def refuse_circular_nests(sequences: list[Sequence]) -> None:
    """Raise ``ReadError`` where a sequence is nested, directly or through others, inside itself."""
    uses: dict[str, list[str]] = {}
    for sequence in sequences:
        inside = uses.setdefault(sequence.id, [])
        for item in sequence.items():
            if isinstance(item.content, NestedUse):
                inside.append(item.content.sequence)
            elif isinstance(item.content, Angles):
                inside.extend(angle.sequence for angle in item.content.angles if angle.sequence)
    refuse_circles(uses)


def refuse_circles(uses: dict[str, list[str]]) -> None:
    """Raise ``ReadError`` if following ``uses`` (sequence → sequences used in it) ever leads back."""
    done: set[str] = set()
    for start in uses:
        if start in done:
            continue
        path, on_path = [(start, iter(uses[start]))], {start}
        while path:
            current, rest = path[-1]
            following = next((one for one in rest if one in uses and one not in done), None)
            if following is None:
                done.add(current)
                on_path.discard(current)
                path.pop()
            elif following in on_path:
                raise ReadError(f"sequence {following!r} is nested inside itself", current)
            else:
                on_path.add(following)
                path.append((following, iter(uses[following])))
