"""Write the demo folder: media, the cut, the cut as it came back, and the film in three reels."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path

from wexodos.demo.cut import kiln_night, returned
from wexodos.demo.exporter import Exporter
from wexodos.demo.reels import reels
from wexodos.demo.sources import ALL

CUT, BACK, REELS = "kiln-night.xml", "kiln-night-graded.xml", "kiln-night-reels.xml"


def complete(folder: Path) -> bool:
    """Whether everything stands in the folder already."""
    cuts = [folder / name for name in (CUT, BACK, REELS)]
    files = [*cuts, *(folder / "media" / source.file for source in ALL.values())]
    return all(file.is_file() and file.stat().st_size for file in files)


def build(folder: Path, progress: Callable[[str, float], None] = lambda _what, _share: None) -> None:
    """Write media and sequence files; what is there already is made anew. Raises ``OSError``."""
    # Loaded only here: what encodes pictures and sound takes long to load and the window asks for it rarely.
    from wexodos.demo.media import make

    media = folder / "media"
    media.mkdir(parents=True, exist_ok=True)
    progress("making media", 0.0)
    # Most of the time goes into encoding, beside which another file is drawn.
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        made = {pool.submit(make, source, media, title): source for title, source in ALL.items()}
        try:
            for place, one in enumerate(as_completed(made)):
                one.result()
                progress(f"made {made[one].file}", (place + 1) / len(ALL))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    write_sequences(folder)
    progress("done", 1.0)


def write_sequences(folder: Path) -> None:
    """Write the sequence files only."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / CUT).write_text(
        Exporter(folder / "media").document(kiln_night()), encoding="utf-8", newline="\n"
    )
    film = Exporter(folder / "media")
    (folder / REELS).write_text(film.project("Kiln Night", reels()), encoding="utf-8", newline="\n")
    back = Exporter(folder / "media", prefix="back-")
    (folder / BACK).write_text(back.document(returned(kiln_night())), encoding="utf-8", newline="\n")
