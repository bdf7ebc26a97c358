"""Make the pictures in docs/screenshots from the demo: ./run shots [FOLDER] [--size WIDTHxHEIGHT] [--theme
day]."""

from __future__ import annotations

import argparse
import os
import shutil
import tempfile
from dataclasses import replace
from pathlib import Path


def graded(cut: Path, scratch: Path) -> Path:
    """The first clips of a cut, as they come back from a grading room; one in eight is a frame late."""
    from wexodos.farside.grading import grade
    from wexodos.farside.habits import Habit
    from wexodos.formats import read_file
    from wexodos.ground import quiet
    from wexodos.sound.locate import Finder

    document = read_file(cut)
    first = document.top_level[0]
    tracks = tuple(
        replace(one, items=tuple(item for item in one.items if item.end <= 1100), transitions=())
        for one in first.tracks
        if one.kind == "video"
    )
    short = replace(first, tracks=tracks)
    within = tuple(short if one.id == first.id else one for one in document.sequences)
    document = replace(document, sequences=within)
    folder = scratch / "Kiln Night graded"
    folder.mkdir()
    habits = {Habit.HANDLES, Habit.FRAME_LATE}
    grade(document, short, Finder(cut, document), habits, 5, folder, folder, quiet)
    return folder


def mixed(cut: Path, scratch: Path) -> Path:
    """A mix of a cut as it comes back from a mixing room, levels ridden, a third of a second early."""
    from wexodos.farside.habits import Habit
    from wexodos.farside.mixing import mix
    from wexodos.formats import read_file
    from wexodos.ground import quiet
    from wexodos.sound.locate import Finder

    document = read_file(cut)
    folder = scratch / "Kiln Night mixed"
    folder.mkdir()
    habits = {Habit.LEVELS_RIDDEN, Habit.LATE}
    mix(document, document.top_level[0], Finder(cut, document), habits, 4, folder, folder, quiet)
    return folder


def screened(cut: Path, scratch: Path) -> Path:
    """A movie of a cut, as another program shows it: without its titles, with a
    clip that shows other frames and one that is larger."""
    from wexodos.formats import read_file
    from wexodos.ground import quiet
    from wexodos.model import Item, Motion, constant
    from wexodos.sound.locate import Finder
    from wexodos.turnover.package.movie import Codec, Reference

    document = read_file(cut)
    first = document.top_level[0]
    later, larger = (first.video_tracks[0].items[number].id for number in (3, 5))

    def otherwise(item: Item) -> Item:
        if item.kind == "title":
            return replace(item, enabled=False)
        if item.id == later:
            return replace(item, source_in=item.source_in + first.rate.seconds(6))
        return replace(item, motion=Motion(scale=constant(1.1, 1.1))) if item.id == larger else item

    tracks = tuple(
        replace(one, items=tuple(otherwise(item) for item in one.items))
        for one in first.tracks
        if one.kind == "video"
    )
    short = replace(first, tracks=tracks)
    within = tuple(short if one.id == first.id else one for one in document.sequences)
    path = scratch / "Kiln Night from grading.mov"
    made = replace(document, sequences=within)
    Reference(made, short, Finder(cut, document), Codec.H264, 360).write(path, quiet)
    return path


def paired(cut: Path, scratch: Path) -> Path:
    """Another length of a cut, in which an edit, a moment, a place and a speed are not those of the first."""
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination
    from wexodos.formats import read_file
    from wexodos.model import Constant, Item, Motion, constant

    document = read_file(cut)
    first = document.top_level[0]
    main = list(first.video_tracks[0].items)
    rate = first.rate

    def put(number: int, item: Item) -> None:
        main[number] = item

    put(2, replace(main[2], duration=main[2].duration + 4))
    follower = main[3]
    put(
        3,
        replace(
            follower,
            start=follower.start + 4,
            duration=follower.duration - 4,
            source_in=follower.source_in + rate.seconds(4),
        ),
    )
    put(5, replace(main[5], source_in=main[5].source_in + rate.seconds(7)))
    put(7, replace(main[7], motion=Motion(position=constant(12.0, 0.0), scale=constant(1.05, 1.05))))
    put(8, replace(main[8], speed=Constant(2)))
    tracks = (replace(first.video_tracks[0], items=tuple(main)), *first.tracks[1:])
    other = replace(first, name="Kiln Night R1 v7, second language", tracks=tracks)
    made = replace(
        document, sequences=tuple(other if one.id == first.id else one for one in document.sequences)
    )
    path = scratch / "Kiln Night second language.otio"
    path.write_bytes(carry_over(made, other, find_destination("archive-otio")).data)
    return path


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", nargs="?", default=str(Path(__file__).parent / "screenshots"))
    parser.add_argument("--size", default="1280x800")
    parser.add_argument("--theme", default="night")
    options = parser.parse_args()

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    # Always the same place: paths are seen on the pictures.
    scratch = str(Path(tempfile.gettempdir()) / "wexodos-screenshots")
    shutil.rmtree(scratch, ignore_errors=True)
    Path(scratch).mkdir()
    for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = scratch

    from PySide6.QtCore import QSettings
    from PySide6.QtWidgets import QApplication

    from wexodos.demo.build import BACK, CUT, REELS, build, complete
    from wexodos.demo.scatter import scatter
    from wexodos.desktop.run import settle
    from wexodos.desktop.shell import Shell
    from wexodos.desktop.theme import install
    from wexodos.desktop.widgets.package_tree import Group
    from wexodos.job import Homecoming
    from wexodos.tidy import find_recipe

    data = Path(__file__).parent.parent / "demo" / "data"
    if not complete(data):
        build(data)
    target = Path(options.folder)
    target.mkdir(parents=True, exist_ok=True)
    app = QApplication([])
    install(app, options.theme)
    window = Shell(QSettings(str(Path(scratch) / "settings.ini"), QSettings.Format.IniFormat))
    window.resize(*map(int, options.size.split("x")))
    window.show()

    def shot(name: str) -> None:
        settle(app, window, wanted=window.session.document is not None)
        settle(app, window, wanted=window.session.document is not None)
        window.saved.setText("saved 14:02")
        app.processEvents()
        window.grab().save(str(target / f"{name}.png"))

    shot("intake-empty")
    window.open(data / CUT)
    settle(app, window)
    shot("intake")
    window.session.decide(destination="grading-lane-xml")
    window.go_to("Tidy")
    window.session.decide(tidy=find_recipe("Grading").steps)
    shot("tidy")
    window.session.decide(tidy=())
    settle(app, window)
    window.go_to("Carry-over")
    settle(app, window)
    ledger = window.carry.ledger
    finding = next(
        one for one in window.session.carried.findings if one.kind == "transition" and one.what == "wipe"
    )
    window.carry.go(finding)
    window.session.set_playhead(int(finding.start) + 9)
    ledger.zoom(4.0)
    shot("carry-over")
    package = Path(scratch) / "Kiln Night turnover"
    package.mkdir()
    window.go_to("Turnover")
    window.turnover.folder.setText(str(package))
    window.turnover.run_main()
    shot("turnover")
    pane = window.turnover.package
    window.turnover.ways.setCurrentIndex(1)
    pane.folder.setText(scratch)
    window.session.set_playhead(1500)
    pane.tree.choose(Group.REFERENCE)
    settle(app, window)
    shot("package")
    window.session.decide(package={"reference": "none", "media": "trimmed"})
    pane.tree.choose(Group.MEDIA)
    settle(app, window)
    pane.run_main()
    settle(app, window)
    shot("package-made")
    window.session.decide(package={})
    window.turnover.ways.setCurrentIndex(0)
    window.returning.open(data / BACK)
    window.go_to("Return")
    settle(app, window)
    window.returning.edited.ledger.zoom(5.0, 1200)
    shot("return")
    for name, came in (
        ("return-grade", graded(data / CUT, Path(scratch))),
        ("return-mix", mixed(data / CUT, Path(scratch))),
    ):
        window.session.decide(home=Homecoming())
        window.session.laying.take([came])
        settle(app, window)
        page = window.returning.arriving
        rows = page.table.visible_rows()
        page.go(next((one for one in rows if "late" in one.words), rows[0]))
        page.ledger.zoom(6.0, 300)
        if name == "return-mix":
            page.look_at(2)
        shot(name)
        if name == "return-grade":
            page.look_at(1)
            shot("return-sheet")
            page.look_at(0)
    window.session.decide(home=Homecoming())
    window.session.screening.check(screened(data / CUT, Path(scratch)))
    settle(app, window)
    window.returning.screened.ledger.zoom(6.0, 300)
    shot("return-check")
    window.session.screening.drop()
    window.session.pairing.hold(paired(data / CUT, Path(scratch)))
    settle(app, window)
    window.returning.paired.ledger.zoom(6.0, 300)
    shot("return-pair")
    window.session.pairing.drop()
    window.session.decide(destination="compositing-lane-xml", tidy=find_recipe("Compositing").steps)
    window.go_to("Carry-over")
    settle(app, window)
    finding = next(
        one for one in window.session.carried.findings if one.kind == "transition" and "dip" in one.what
    )
    window.carry.go(finding)
    window.session.set_playhead(int(finding.start) + 4)
    window.carry.ledger.zoom(4.0)
    shot("compositing")
    window.session.decide(tidy=())
    window.session.decide(destination="mixing-aaf-embedded")
    window.go_to("Turnover")
    settle(app, window)
    window.turnover.run_main()
    shot("turnover-sound")
    bad_day = scatter(Path(scratch) / "Kiln Night", data / "media")
    window.open(bad_day)
    settle(app, window)
    window.session.decide(destination="grading-lane-xml")
    window.go_to("Media")
    window.media.rules.add_folder(str(bad_day.parent.parent / "store"))
    settle(app, window)
    window.media.go_to_medium(next(row.media.id for row in window.session.media if row.asked))
    shot("media")
    window.go_to("Carry-over")
    window.session.set_playhead(822)
    shot("table")
    window.open(data / REELS)
    settle(app, window)
    window.session.decide(destination="grading-lane-xml")
    window.session.reels.choose([one.id for one in window.session.document.top_level if one.name[-2] == "R"])
    settle(app, window)
    window.go_to("Carry-over")
    shot("several")
    old = Path(scratch) / "Kiln Night archive"
    old.mkdir()
    for name in (CUT, BACK, REELS):
        shutil.copy(data / name, old)
    (old / "rough cut.xml").write_bytes((data / CUT).read_bytes()[:9000])
    (old / "firing notes.txt").write_text("cone nine at four")
    window.carry_folder()
    window.batching.source.setText(str(old))
    window.batching.target.setText(str(Path(scratch) / "Kiln Night converted"))
    window.batching.destination.setCurrentIndex(window.batching.destination.findData("editing-lane-xml"))
    window.batching.run_main()
    settle(app, window)
    app.processEvents()
    window.batching.grab().save(str(target / "folder.png"))
    window.close()


if __name__ == "__main__":
    # A batch has processes of its own, which read this file again.
    main()
