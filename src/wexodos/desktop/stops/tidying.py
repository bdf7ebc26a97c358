"""Tidy: the steps that make a cut ready, with the cut before and after in the ledger."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wexodos.carryover import write_file
from wexodos.desktop.session import Session
from wexodos.desktop.stops.base import Stop, dim
from wexodos.desktop.theme import palette
from wexodos.desktop.widgets.ledger import Ledger
from wexodos.desktop.widgets.ledger_data import LedgerData, Mark, build
from wexodos.desktop.widgets.steps import StepList
from wexodos.desktop.widgets.tables import Column, Table
from wexodos.formats import WriteError
from wexodos.job import destinations_for, recipe_for, recipe_of
from wexodos.model import Item, Sequence
from wexodos.tidy import STEPS, Chosen, Did, Line, Recipe, load_all
from wexodos.tidy.choosing import WITH_TRACK
from wexodos.tidy.recipes import as_text, complete, file_of
from wexodos.tidy.step import counted
from wexodos.timing import floor

NONE = "No recipe"


class Row:
    """A line of what was done, with the step that did it. ``start`` and ``stop`` are its place in the cut
    taken in, in frames."""

    __slots__ = ("line", "start", "step", "stop")

    def __init__(self, line: Line, did: Did) -> None:
        self.line, self.step = line, STEPS[did.chosen.step].name
        self.start, self.stop = line.start - did.shift, line.stop - did.shift


def moves(before: Sequence, stands: dict[str, str]) -> list[tuple[str, Item]]:
    """Items that stand on another track afterwards; not those of a sound track that moved as a whole."""
    found = []
    for label, track in before.labelled_tracks():
        there = {stands[item.id] for item in track.items if item.id in stands}
        if track.kind == "video" or len(there) > 1:
            found += [(label, item) for item in track.items if stands.get(item.id, label) != label]
    return found


class TidyStop(Stop):
    """The steps at the left of the ledger, what they do below it."""

    name = "Tidy"

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.recipes: list[Recipe] = []
        self.recipe = QComboBox()
        self.recipe.setAccessibleName("Recipe")
        self.recipe.activated.connect(self._choose)
        self.keep = QPushButton("Save as…")
        self.keep.setToolTip("Keep these steps as a recipe of yours")
        self.keep.clicked.connect(self._ask_name)
        self.steps = StepList()
        self.steps.changed.connect(self._changed)
        self.ledger = Ledger()
        self.with_waves(self.ledger)
        self.ledger.playhead_moved.connect(lambda frame: session.set_playhead(frame - self.ledger.data.lead))
        self.ledger.item_chosen.connect(self._item_chosen)
        self.ledger.mark_chosen.connect(lambda key: self._go(self._rows[int(key)]))
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        self.proposal = QLabel()
        self.proposal.setWordWrap(True)
        self.proposal.setProperty("role", "dim")
        self.proposal.linkActivated.connect(self._take_proposal)
        self.proposal.hide()
        self.table = Table(
            [
                Column(
                    "where",
                    lambda row: str(self._timecode(row)),
                    112,
                    mono=True,
                    order=lambda row: float(row.start),
                ),
                Column("track", lambda row: row.line.track, 46),
                Column("thing", lambda row: row.line.item, 160),
                Column(
                    "what happens",
                    lambda row: row.line.what,
                    190,
                    color=lambda row: palette().left if row.line.grave else None,
                ),
                Column("why", lambda row: row.line.why, 200, stretch=True, color=lambda _row: palette().dim),
                Column("step", lambda row: row.step, 150, color=lambda _row: palette().dim),
            ],
            "What the steps do",
        )
        self.table.empty_words = "no step is switched on, or none has anything to do"
        self.table.chosen.connect(self._go)
        self._rows: list[Row] = []
        self._lay_out()
        session.opened.connect(self._opened)
        session.decided.connect(self._decided)
        session.tidied_changed.connect(self._show)
        session.previewed_changed.connect(self._previewed)
        session.playhead_changed.connect(
            lambda frame: self.ledger.set_playhead(frame + self.ledger.data.lead)
        )
        self.load_recipes()

    def _lay_out(self) -> None:
        left = QWidget()
        left.setObjectName("panel")
        left.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        left.setMinimumWidth(290)
        box = QVBoxLayout(left)
        box.setContentsMargins(10, 10, 0, 0)
        box.setSpacing(8)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 10, 0)
        row.addWidget(dim("Recipe"))
        row.addWidget(self.recipe, 1)
        row.addWidget(self.keep)
        box.addLayout(row)
        box.addWidget(self.steps, 1)
        right = QWidget()
        below = QVBoxLayout(right)
        below.setContentsMargins(10, 10, 12, 8)
        below.setSpacing(8)
        below.addWidget(self.summary)
        below.addWidget(self.proposal)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(self.ledger)
        split.addWidget(self.table)
        split.setSizes([440, 200])
        split.setStretchFactor(0, 3)
        split.setStretchFactor(1, 2)
        below.addWidget(split, 1)
        across = QSplitter(Qt.Orientation.Horizontal)
        across.setChildrenCollapsible(False)
        across.addWidget(left)
        across.addWidget(right)
        across.setSizes([330, 850])
        across.setStretchFactor(1, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(across)

    # ---- recipes

    def load_recipes(self) -> None:
        """Read the recipes anew and show which one the steps are."""
        self.recipes, problems = load_all()
        self.session.recipes = self.recipes
        for problem in problems:
            self.session.said.emit(problem, True)
        self._show_recipe()

    def _show_recipe(self) -> None:
        wanted = self._on(self.session.steps())
        now = next(
            (one.name for one in reversed(self.recipes) if self._on(one.steps) == wanted and wanted), ""
        )
        self.recipe.clear()
        self.recipe.addItem(NONE if not wanted else "Steps of your own", "")
        for one in self.recipes:
            self.recipe.addItem(one.name if one.builtin else f"{one.name} (yours)", one.name)
            self.recipe.setItemData(self.recipe.count() - 1, one.about, Qt.ItemDataRole.ToolTipRole)
        if wanted:
            self.recipe.addItem("Switch everything off", "-")
        self.recipe.setCurrentIndex(max(0, self.recipe.findData(now)) if now else 0)

    @staticmethod
    def _on(steps: tuple[Chosen, ...]) -> tuple[Chosen, ...]:
        return tuple(one for one in steps if one.on)

    def _choose(self, place: int) -> None:
        name = self.recipe.itemData(place)
        if name == "-":
            self.session.decide(tidy=())
            return
        found = next((one for one in reversed(self.recipes) if one.name == name), None)
        if found is not None:
            self.session.decide(tidy=found.steps)

    def _ask_name(self) -> None:
        name, good = QInputDialog.getText(self, "Save the steps as a recipe", "Name of the recipe")
        if good and name.strip():
            self.save_recipe(name.strip())

    def save_recipe(self, name: str) -> None:
        """Keep the steps that are switched on as a recipe of the user's."""
        recipe = Recipe(name, "", self._on(self.session.steps()))
        path = file_of(name)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_file(path, as_text(recipe).encode())
        except (OSError, WriteError) as error:
            self.session.said.emit(f"{path}: the recipe cannot be saved: {error}", True)
            return
        self.load_recipes()
        self.session.said.emit(f"Saved as the recipe {name}: {path}", False)

    # ---- what is shown

    def _changed(self, steps: tuple[Chosen, ...]) -> None:
        self.session.decide(tidy=steps)

    def _opened(self) -> None:
        side = self.session.taken
        self.ledger.show_data(build(side.sequence, None) if side is not None else LedgerData())
        self.ledger.fit()
        self.table.show_rows([])
        self.summary.setText("")
        self._decided()

    def _decided(self) -> None:
        self.steps.show_steps(complete(self.session.steps()))
        self.steps.setEnabled(self.session.taken is not None)
        self._show_recipe()
        self._propose()
        self.changed.emit()

    def _propose(self) -> None:
        """A destination proposes its recipe, a recipe its destinations."""
        destination, words = self.session.destination, ""
        color = palette().accent
        if self.session.taken is not None and destination is not None:
            now = recipe_of(self.session.steps(), self.recipes)
            own = recipe_for(destination, self.recipes)
            fitting = destinations_for(now, self.session.destinations) if now is not None else []
            if own is not None and not self._on(self.session.steps()):
                words = (
                    f"{destination.name} is usually made ready by the recipe “{own.name}”. "
                    f"<a href='recipe:{own.name}' style='color:{color}'>Use it</a>"
                )
            elif now is not None and fitting and destination not in fitting:
                ways = ", ".join(
                    f"<a href='to:{one.id}' style='color:{color}'>{one.name}</a>" for one in fitting
                )
                words = f"“{now.name}” makes a cut ready for {ways}; this one goes to {destination.name}."
        self.proposal.setText(words)
        self.proposal.setVisible(bool(words))

    def _take_proposal(self, link: str) -> None:
        what, _, name = link.partition(":")
        if what == "to":
            self.session.decide(destination=name)
            return
        found = next((one for one in reversed(self.recipes) if one.name == name), None)
        if found is not None:
            self.session.decide(tidy=found.steps)

    def _show(self) -> None:
        taken, side, tidied = self.session.taken, self.session.side, self.session.tidied
        if taken is None or side is None or tidied is None:
            return
        self.steps.show_steps(complete(self.session.steps()))
        self.steps.show_done(tidied.steps)
        if self.isVisible():
            self.session.preview()
        done = [did for did in tidied.steps if did.chosen.on and did.outcome is not None]
        self._rows = [Row(line, did) for did in done if did.outcome is not None for line in did.outcome.lines]
        fates = self._fates()
        before, after = taken.sequence, side.sequence
        stands = {item.id: label for label, track in after.labelled_tracks() for item in track.items}
        partners = [(label, stands[item.id], float(item.start)) for label, item in moves(before, stands)]

        def fate(item: Item) -> str:
            return fates.get(item.id, "left behind" if item.id not in stands else "carried")

        arrived = {item.id for item in before.items()}
        data = build(
            before,
            after,
            fate,
            lambda item: fates.get(item.id, "carried" if item.id in arrived else "baked"),
            partners,
            (taken.document, side.document),
            tidied.shift,
        )
        for number, row in enumerate(self._rows):
            line, place = row.line, data.row_of(row.line.track)
            # A track that goes is marked once, not at each of its items.
            if place is not None and line.why != WITH_TRACK and (line.item_id or line.stop > line.start):
                start, stop = float(row.start + data.ahead), float(row.stop + data.ahead)
                data.marks.append(
                    Mark(str(number), place, start, stop, fates.get(line.item_id, "left behind"))
                )
        self.ledger.show_data(data)
        self.ledger.set_playhead(self.session.playhead + data.lead, follow=False)
        self.table.show_rows(self._rows)
        self._summarise()
        self.changed.emit()

    def _previewed(self) -> None:
        self.steps.show_done(self.session.previewed)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.session.preview()

    def _fates(self) -> dict[str, str]:
        """What becomes of each item, in the words of the fates: gone, rendered, or changed."""
        side = self.session.side
        there = {item.id for item in side.sequence.items()} if side is not None else set()
        made = {render.item for render in self.session.renders}
        fates: dict[str, str] = {}
        for row in self._rows:
            key = row.line.item_id
            if key:
                fates[key] = "baked" if key in made else "adapted" if key in there else "left behind"
        return fates

    def _summarise(self) -> None:
        taken, side, tidied = self.session.taken, self.session.side, self.session.tidied
        if taken is None or side is None or tidied is None:
            return
        if not any(did.chosen.on for did in tidied.steps):
            self.summary.setText(
                "Nothing is switched on: the cut goes as it is. Each line at the left says what its "
                "step would do."
            )
            return

        before, after = taken.sequence, side.sequence
        words = (
            f"{len(before.video_tracks)} picture and {len(before.audio_tracks)} sound tracks with "
            f"{len(list(before.items()))} items "
            f"become {len(after.video_tracks)} and {len(after.audio_tracks)} with {len(list(after.items()))}"
        )
        proof = (
            "Outside what the steps say, every frame and sample is what it was."
            if not tidied.unproven
            else f"{tidied.unproven} stretches changed although no step says so: an error in Wexodos."
        )
        many = len(self.session.renders)
        renders = (
            f" {counted(many, 'file')} {'is' if many == 1 else 'are'} made when the turnover is written."
            if many
            else ""
        )
        others = (
            f" The same steps are used on all {len(self.session.reels.going())} sequences."
            if self.session.reels.several
            else ""
        )
        self.summary.setText(f"<b>{after.name}</b>: {words}.{renders} {proof}{others}")

    def _timecode(self, row: Row) -> object:
        side = self.session.taken
        return side.sequence.timecode(max(0, floor(row.start))) if side is not None else ""

    def _go(self, row: Row) -> None:
        self.table.go_to(row)
        self.ledger.select(row.line.item_id, row.line.track)
        shift = self.session.tidied.shift if self.session.tidied is not None else 0
        self.session.set_playhead(max(0, floor(row.start) + shift))
        self.session.select(row.line.item_id)

    def _item_chosen(self, item_id: str) -> None:
        self.session.select(item_id)
        found = next((row for row in self._rows if row.line.item_id == item_id), None)
        if found is not None:
            self.table.go_to(found)

    # ---- the shell asks

    def go_next(self, direction: int) -> None:
        rows = self.table.visible_rows()
        if rows:
            now = self.table.current_row()
            place = rows.index(now) if now in rows else (-1 if direction > 0 else 0)
            self._go(rows[(place + direction) % len(rows)])

    def look_up(self, words: str) -> bool:
        wanted = words.lower()
        for row in self.table.visible_rows():
            if wanted in f"{row.line.item} {row.line.what} {row.line.why} {row.step}".lower():
                self._go(row)
                return True
        return False

    def main_action(self) -> tuple[str, bool]:
        return "On to the media", self.session.side is not None

    def run_main(self) -> None:
        self.asked_for.emit("Media")

    def open_count(self) -> tuple[int, bool, bool]:
        tidied = self.session.tidied
        if tidied is None:
            return 0, False, False
        on = [did for did in tidied.steps if did.chosen.on]
        all_of_them = [one.ready.tidied for one in self.session.reels.known() if one.ready is not None]
        grave = sum(len(one.problems) + one.unproven for one in all_of_them)
        lines = sum(
            line.grave
            for one in all_of_them
            for did in one.steps
            if did.chosen.on and did.outcome is not None
            for line in did.outcome.lines
        )
        return grave + lines, bool(grave), bool(on) and not grave + lines

    def restyle(self) -> None:
        steps = self.steps.steps
        self.steps.show_steps(())
        self.steps.show_steps(steps)
        self._previewed()
        self.ledger.refresh()
