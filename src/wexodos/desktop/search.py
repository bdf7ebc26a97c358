"""The media of the open cut: where they are, what does not fit, how they sound."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wexodos.desktop.widgets.ledger_data import named
from wexodos.media import Misfit, Probes, Row, Scanner, find, misfits, stamp
from wexodos.model import Document, Sequence
from wexodos.sound.locate import Finder
from wexodos.sound.peaks import Peaks, SoundError, peaks

if TYPE_CHECKING:
    from wexodos.desktop.session import Session


class Search:
    """Looks for the media of a session's cut, in the background.

    ``rows`` are what was found for ``sequences``; ``peaks`` the waveforms by file name, one dictionary for
    all ledgers.
    """

    def __init__(self, session: Session) -> None:
        self.session = session
        self.rows: list[Row] = []
        self.sequences: list[Sequence] = []
        self.peaks: dict[str, Peaks] = {}
        self.probes, self.scanner = Probes(), Scanner()

    def look(self) -> None:
        """Find the media of the cut in the background."""
        document, taken, job, path = (
            self.session.document,
            self.session.taken,
            self.session.job,
            self.session.path,
        )
        if document is None or taken is None or job is None or path is None:
            return
        sequences = self.sequences = self.session.reels.looked_for()
        now, seen, inside = job.now, job.seen, Finder(path, document)

        def done(rows: list[Row]) -> None:
            before = {row.media.id: row.path for row in self.rows}
            self.rows = rows
            if self.session.job is not None:
                stamps = {
                    str(row.path): stamp(row.facts)
                    for row in rows
                    if row.facts is not None and not row.facts.problem
                }
                job = self.session.job.saw(stamps)
                if job is not self.session.job:
                    self.session.job = job
                    self.session.keep()
            self.session.look_again()
            self.listen()
            other = [
                row
                for row in rows
                if row.path is not None and str(row.path) != row.media.path and row.how != "inside"
            ]
            # Another file for a medium that was known, or a new one that stands elsewhere, changes the cuts.
            moved = any(row.path != before.get(row.media.id, row.path) for row in rows)
            if moved or any(row.media.id not in before for row in other):
                self.session.prepare()

        def work(step: Any) -> list[Row]:
            return find(
                document, sequences, path, now.rules, now.links, self.probes, self.scanner, step, seen, inside
            )

        self.session.tasks.start(
            "looking for media", work, done, lambda sentence: self.session.said.emit(sentence, True)
        )

    def listen(self) -> None:
        """Work out the waveforms of what is heard, in the background."""
        # Once relinked, the cut calls it by the name of the file.
        self._listen(
            "listening",
            [
                ((row.media.file_name.lower(), row.path.name.lower()), partial(Path, row.path))
                for row in self.rows
                if row.path is not None and row.need.sound
            ],
        )

    def hear(self, before: Document, after: Document, beside: Path) -> None:
        """The same for sound that came back, and is ``after`` in a document: known by its path where it has
        one, as a file of the cut may have its name."""
        locate = Finder(beside, after)
        new = [one for one in after.media if one.audio and one.id not in before.media_by_id]
        self._listen(
            "listening to what came",
            [((named(one)[0] or named(one)[1],), partial(locate, one)) for one in new],
        )

    def _listen(self, what: str, sounds: list[tuple[tuple[str, ...], Callable[[], Path | None]]]) -> None:
        """Work out the waveforms of sounds: by what each is known, and where it is."""
        new = [one for one in sounds if one[0][0] not in self.peaks]
        if not new:
            return

        def work(step: Any) -> dict[str, Peaks]:
            found: dict[str, Peaks] = {}
            for number, (names, located) in enumerate(new):
                path = located()
                if path is not None:
                    step(f"listening to {path.name}", number / len(new))
                    with contextlib.suppress(SoundError):
                        found.update(dict.fromkeys(names, peaks(path)))
            return found

        def done(found: dict[str, Peaks]) -> None:
            self.peaks.update(found)
            self.session.waves_changed.emit()

        self.session.tasks.start(what, work, done, lambda sentence: self.session.said.emit(sentence, True))

    def misfits(self) -> list[Misfit]:
        """What of the media does not fit the cuts or the destination."""
        found = [
            one
            for reel in self.session.reels.known()
            if reel.ready is not None
            for one in misfits(
                [(row.need, row.facts) for row in reel.media], reel.ready.sequence, self.session.destination
            )
        ]
        return list({(one.kind, one.media, one.words): one for one in found}.values())
