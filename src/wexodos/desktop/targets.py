"""Everything that can be found in the window, and what happens then."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QMenu

from wexodos.carryover import Finding, thing_of
from wexodos.desktop.widgets.finder import Target
from wexodos.timing import Timecode, TimecodeError, floor

if TYPE_CHECKING:
    from wexodos.desktop.shell import Shell


class Targets:
    """What can be found in a window as it is now."""

    def __init__(self, shell: Shell) -> None:
        self._shell, self._session = shell, shell.session

    def all(self) -> list[Target]:
        """Kinds of findings and media first: they are fewer than clips."""
        return [
            *self._commands(),
            *self._sequences(),
            *self._kinds(),
            *self._media(),
            *self._findings(),
            *self._clips(),
        ]

    def timecode(self, words: str) -> list[Target]:
        """The place that a timecode or a frame (``+112``) names; nothing where it is none."""
        side = self._session.side
        if side is None or not words.strip():
            return []
        sequence = side.sequence
        try:
            if words.strip()[0] == "+" and words.strip()[1:].isdigit():
                frame = int(words.strip()[1:9])
            else:
                frame = Timecode.parse(words.strip(), sequence.rate).frames - sequence.start
        except TimecodeError:
            return []
        if not 0 <= frame < max(1, sequence.duration):
            return []
        return [
            Target(f"Go to {sequence.timecode(frame)}", "place", partial(self._session.set_playhead, frame))
        ]

    def _commands(self) -> list[Target]:
        return [
            Target(action.text(), "command", action.trigger)
            for menu in self._shell.menuBar().findChildren(QMenu)
            for action in menu.actions()
            if action.text() and action.menu() is None
        ]

    def _sequences(self) -> list[Target]:
        document = self._session.document
        return [
            Target(one.name or one.id, "sequence", partial(self._session.look_at, one.id))
            for one in (document.sequences if document is not None else ())
            if not one.is_angle
        ]

    def _kinds(self) -> list[Target]:
        carried = self._session.carried
        counts: dict[str, int] = {}
        first: dict[str, Finding] = {}
        for one in carried.findings if carried is not None else ():
            if not one.closely:
                counts[one.what] = counts.get(one.what, 0) + 1
                first.setdefault(one.what, one)
        return [
            Target(what, f"kind of finding, {count} of them", partial(self._shell.to_finding, first[what]))
            for what, count in counts.items()
        ]

    def _media(self) -> list[Target]:
        return [
            Target(
                row.media.file_name,
                f"medium, {row.status}" + (f", reel {row.media.reel}" if row.media.reel else ""),
                partial(self._shell.to_medium, row.media.id),
            )
            for row in self._session.media
        ]

    def _findings(self) -> list[Target]:
        carried = self._session.carried
        found = []
        for one in carried.findings if carried is not None else ():
            at = str(carried.sequence.timecode(floor(one.start))) if carried is not None else ""
            place = ", ".join(filter(None, (one.fate.value, f"{one.track} {at}".strip())))
            found.append(Target(thing_of(one), place, partial(self._shell.to_finding, one)))
        return found

    def _clips(self) -> list[Target]:
        side = self._session.side
        if side is None:
            return []
        return [
            Target(
                item.name or item.kind,
                f"clip, {label} {side.sequence.timecode(floor(item.start))}",
                partial(self._shell.to_item, item.id, floor(item.start)),
            )
            for label, track in side.sequence.labelled_tracks()
            for item in track.items
        ]
