"""Several files that belong together: made beside their places, and moved there together."""

from __future__ import annotations

import contextlib
import errno
import os
from pathlib import Path
from types import TracebackType

from wexodos.ground import remains
from wexodos.ground.ending import undisturbed
from wexodos.ground.errors import WriteError
from wexodos.ground.files import reason


class Delivery:
    """Gives each file a place to be made at; ``arrive`` moves all of them.

    They are moved in turn, the one that was placed first last: it is the one that refers to the others. What
    was there before comes back where that fails. A kill on the way is made good by the next start
    (``remains``).
    """

    def __init__(self) -> None:
        self._stages: dict[Path, Path] = {}
        self._files: list[tuple[Path, Path]] = []

    def __enter__(self) -> Delivery:
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        with undisturbed():
            for stage in self._stages.values():
                remains.removed(stage)
                remains.finished(stage)

    def place(self, folder: Path, name: str) -> Path:
        """Where to make the file that belongs at ``folder / name``; the folder is there, those in ``name``
        are made. Raises ``WriteError``."""
        stage = self._stages.get(folder)
        target = folder / name
        try:
            if stage is None:
                stage = remains.part_name(folder / target.name)
                remains.begun(stage)
                self._stages[folder] = stage
                stage.mkdir()
            made = stage / name
            made.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise WriteError(f"{target}: cannot be written: {reason(error)}") from None
        self._files.append((made, target))
        return made

    def arrive(self) -> None:
        """Move everything to its place, or nothing. Raises ``WriteError``."""
        moves = self._moves()
        with undisturbed():
            remains.moving(moves)
            undo: list[tuple[Path, Path | None]] = []
            try:
                for number, (made, target) in enumerate(moves):
                    kept = self._kept(target, number)
                    undo.append((target, kept))
                    os.replace(made, target)
            except OSError as error:
                for place, kept in reversed(undo):
                    with contextlib.suppress(OSError):
                        if kept is not None:
                            os.replace(kept, place)
                        elif place == target:
                            pass
                        else:
                            remains.removed(place)
                raise WriteError(f"{target}: cannot be written: {reason(error)}") from None
            finally:
                remains.moved()

    def _moves(self) -> list[tuple[Path, Path]]:
        """What is moved where, in order; a folder that is not there yet goes as a whole."""
        found: dict[Path, Path] = {}
        for made, target in reversed(self._files):
            while not target.parent.is_dir():
                made, target = made.parent, target.parent
            found.setdefault(made, target)
        return list(found.items())

    def _kept(self, target: Path, number: int) -> Path | None:
        """The file that stands there already, held by another name until everything has arrived."""
        if not os.path.lexists(target):
            return None
        if target.is_dir():
            raise OSError(errno.EISDIR, os.strerror(errno.EISDIR))
        stage = next(iter(self._stages.values()))
        for folder, one in self._stages.items():
            if target.is_relative_to(folder):
                stage = one
        kept = stage / f"before-{number}"
        try:
            os.link(target, kept, follow_symlinks=False)
        except OSError:
            # A file system without second names.
            os.replace(target, kept)
        return kept
