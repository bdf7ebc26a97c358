"""Where the media of a tidied cut are: on disk, or made here first where they are small and something has to
read them as files."""

from __future__ import annotations

from pathlib import Path

from wexodos.ground.remains import scratch_folder
from wexodos.model import Media
from wexodos.picture.compose import Locate
from wexodos.tidy.renders import render_file
from wexodos.tidy.step import Render


class Workshop:
    """Gives the file of a medium: of a tone or a slate one that is made in a folder that goes with this
    object, of all else what ``locate`` says. Movies are made where they are written."""

    def __init__(self, renders: list[Render], locate: Locate) -> None:
        self._renders = {one.media.id: one for one in renders if one.kind != "frames"}
        self._locate = locate
        self._made: dict[str, Path] = {}
        self._folder: Path | None = None

    def __call__(self, media: Media) -> Path | None:
        render = self._renders.get(media.id)
        if render is None:
            return self._locate(media)
        if media.id not in self._made:
            if self._folder is None:
                self._folder = scratch_folder(self, "made")
            place = self._folder / f"{len(self._made)}-{render.media.name}"
            render_file(render, place, self._locate, lambda _what, _share: None)
            self._made[media.id] = place
        return self._made[media.id]
