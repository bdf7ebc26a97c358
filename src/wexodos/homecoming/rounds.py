"""Several returns to one cut: a later one takes the place of an earlier one, event by event, stem by stem."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from wexodos.homecoming.mixes import Returned, Role
from wexodos.homecoming.renders import Matching


def joined(rounds: list[Matching]) -> Matching:
    """What became of the renders of all returns: of two of one event the one that came later is it."""
    found = Matching()
    latest: dict[str, Path] = {}
    for one in reversed(rounds):
        here = []
        for render in one.matched:
            newer = latest.get(render.found.event.item.id)
            if newer is None:
                here.append(render)
            else:
                found.without.append((render.facts, f"{newer.name} came later for the same event"))
        latest |= {render.found.event.item.id: render.path for render in here}
        found.matched += here
        found.asked = [*one.asked, *found.asked]
        found.without = [*one.without, *found.without]
    found.matched.sort(key=lambda one: (one.found.event.item.start, one.found.event.track))
    lacking = [{event.item.id for event in one.missing} for one in rounds]
    nowhere = set.intersection(*lacking) if lacking else set()
    found.missing = [event for event in rounds[0].missing if event.item.id in nowhere] if rounds else []
    return found


@dataclass(slots=True)
class Heard:
    """Which sounds are laid in: those that are ``on``, those that lie there switched off because a mix holds
    them already, and those ``replaced`` by what came later, with the reason."""

    on: list[Returned] = field(default_factory=list)
    off: list[Returned] = field(default_factory=list)
    replaced: list[tuple[Path, str]] = field(default_factory=list)


def sounding(rounds: list[list[Returned]]) -> Heard:
    """Sort the sounds of all returns that were recognised, so that nothing is heard twice and nothing is
    missed."""
    found = Heard()
    standing: list[Returned] = []
    for came in rounds:
        kept = []
        for old in standing:
            newer = _in_place_of(old, came)
            if newer is None:
                kept.append(old)
            else:
                found.replaced.append((old.path, f"{newer.path.name} came later in its place"))
        standing = [*kept, *came]
    mixes = [one for one in standing if one.role is Role.MIX]
    held = _tracks(mixes)
    for one in standing:
        if one.role is Role.MIX:
            # Of two mixes of one return one is heard.
            (found.on if one is mixes[-1] else found.off).append(one)
        elif one.tracks and set(one.tracks) <= held:
            found.off.append(one)
        else:
            found.on.append(one)
    return found


def _in_place_of(old: Returned, came: list[Returned]) -> Returned | None:
    """What came later in place of a sound; None where nothing did. Of a mix all parts must have come: one
    stem takes nothing of it away."""
    if not old.tracks:
        # By its name alone: the cut has no tracks of that stem.
        alike = [one for one in came if one.role is old.role and one.stem == old.stem]
    elif set(old.tracks) <= _tracks(came):
        alike = [one for one in came if set(one.tracks) & set(old.tracks)]
    else:
        alike = []
    return alike[0] if alike else None


def _tracks(sounds: Iterable[Returned]) -> set[str]:
    """The tracks that sounds take the place of."""
    return {label for one in sounds for label in one.tracks}
