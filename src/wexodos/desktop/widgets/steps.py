"""The list of Tidy steps: each with a switch, its options in place, and what it does to this cut in one
line."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.theme import glyph_icon, palette
from wexodos.tidy import STEPS, Chosen, Did, Option
from wexodos.tidy.step import words_of


class Choices(QPushButton):
    """Any of several words, chosen in a menu that stays open. ``changed(value)`` gives them with commas."""

    changed = Signal(str)

    def __init__(self, option: Option, value: str) -> None:
        super().__init__()
        self._option = option
        menu = QMenu(self)
        for word, shown in option.choices:
            action = menu.addAction(shown)
            action.setCheckable(True)
            action.setData(word)
            action.setChecked(word in words_of(value))
        menu.aboutToHide.connect(self._closed)
        self.setMenu(menu)
        self.setProperty("opens", True)
        self._value = value
        self._tell()

    def value(self) -> str:
        return ", ".join(action.data() for action in self.menu().actions() if action.isChecked())

    def _tell(self) -> None:
        shown = [action.text() for action in self.menu().actions() if action.isChecked()]
        words = ", ".join(shown) or "nothing"
        self.setText(words if len(words) <= 30 else f"{words[:29]}…")
        self.setToolTip(", ".join(shown))

    def _closed(self) -> None:
        self._tell()
        if self.value() != self._value:
            self._value = self.value()
            self.changed.emit(self._value)


class StepRow(QFrame):
    """One step. ``changed(chosen)`` gives it anew; ``moved``, ``doubled`` and ``dropped`` ask the list."""

    changed = Signal(object)
    moved = Signal(int)
    doubled = Signal()
    dropped = Signal()

    def __init__(self, chosen: Chosen, first: bool, last: bool) -> None:
        super().__init__()
        self.chosen = chosen
        step = STEPS[chosen.step]
        self.setObjectName("step")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 6, 8)
        box.setSpacing(2)
        head = QHBoxLayout()
        head.setSpacing(0)
        self.switch = QCheckBox(step.name)
        self.switch.setChecked(chosen.on)
        self.switch.setToolTip(step.about)
        self.switch.setAccessibleDescription(step.about)
        self.switch.clicked.connect(
            lambda on: self.changed.emit(Chosen(chosen.step, bool(on), chosen.options))
        )
        head.addWidget(self.switch, 1)
        for glyph, about, by, usable in (("up", "earlier", -1, not first), ("down", "later", 1, not last)):
            button = QPushButton()
            button.setProperty("flat", True)
            button.setIcon(glyph_icon(glyph, palette().dim, 14))
            button.setFixedSize(24, 22)
            button.setToolTip(f"One place {about}")
            button.setAccessibleName(f"{step.name}: one place {about}")
            button.setEnabled(usable)
            button.clicked.connect(lambda _on=False, places=by: self.moved.emit(places))
            head.addWidget(button)
        box.addLayout(head)
        self.effect = QLabel(step.about)
        self.effect.setProperty("role", "dim")
        self.effect.setWordWrap(True)
        self.effect.setContentsMargins(23, 0, 0, 0)
        box.addWidget(self.effect)
        self.controls: dict[str, QWidget] = {}
        if chosen.on and step.options:
            box.addWidget(self._options(step.options))

    def _options(self, options: tuple[Option, ...]) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(23, 4, 4, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        place = 0
        for option in options:
            value = self.chosen.options.get(option.name, option.default)
            control = self._control(option, value)
            control.setToolTip(option.about or option.label)
            control.setAccessibleName(f"{STEPS[self.chosen.step].name}: {option.label}")
            self.controls[option.name] = control
            short = option.kind == "seconds"
            if option.kind == "yes":
                place += place % 2
                grid.addWidget(control, place // 2, 0, 1, 4)
                place += 2
                continue
            if not short:
                place += place % 2
            row, column = divmod(place, 2)
            label = QLabel(option.label)
            label.setProperty("role", "dim")
            grid.addWidget(label, row, 2 * column)
            grid.addWidget(control, row, 2 * column + 1, 1, 1 if short else 3)
            place += 1 if short else 2
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        return holder

    def _control(self, option: Option, value: str) -> QWidget:
        if option.kind == "yes":
            check = QCheckBox(option.label)
            check.setChecked(value == "yes")
            check.clicked.connect(lambda on: self._set(option.name, "yes" if on else "no"))
            return check
        if option.kind == "choice":
            box = QComboBox()
            for word, shown in option.choices:
                box.addItem(shown, word)
            box.setCurrentIndex(max(0, box.findData(value)))
            box.activated.connect(lambda _place: self._set(option.name, str(box.currentData())))
            return box
        if option.kind == "choices":
            several = Choices(option, value)
            several.changed.connect(lambda words: self._set(option.name, words))
            return several
        line = QLineEdit(value)
        line.setPlaceholderText(option.about)
        line.editingFinished.connect(lambda: self._set(option.name, line.text().strip()))
        if option.kind == "seconds":
            line.setMaximumWidth(64)
        return line

    def _set(self, name: str, value: str) -> None:
        step = STEPS[self.chosen.step]
        default = next(one.default for one in step.options if one.name == name)
        options = {key: words for key, words in self.chosen.options.items() if key != name}
        if value != default:
            options[name] = value
        if options != self.chosen.options:
            self.changed.emit(Chosen(self.chosen.step, self.chosen.on, options))

    def show_did(self, did: Did | None) -> None:
        """What it does to this cut, or would do."""
        words = did.effect if did is not None else ""
        if did is not None and did.unproven:
            kind, low, high = did.unproven[0]
            words = f"{words}. But the {kind} of frames {low} to {high} changed too: an error in Wexodos."
        self.effect.setText(words or STEPS[self.chosen.step].about)
        wrong = did is not None and (bool(did.problem) or bool(did.unproven)) and self.chosen.on
        self.effect.setStyleSheet(f"color: {palette().left};" if wrong else "")

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        menu = QMenu(self)
        menu.addAction("Another of these below", self.doubled.emit)
        menu.addAction("Take out of the list", self.dropped.emit)
        menu.exec(event.globalPos())


class StepList(QScrollArea):
    """All steps in their order: those of the recipe, then those not in it, switched off. ``changed(steps)``
    gives them anew."""

    changed = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Steps")
        self.rows: list[StepRow] = []
        self._holder = QWidget()
        self._holder.setObjectName("panel")
        self._holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._box = QVBoxLayout(self._holder)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(1)
        self._box.addStretch(1)
        self.setWidget(self._holder)

    @property
    def steps(self) -> tuple[Chosen, ...]:
        return tuple(row.chosen for row in self.rows)

    def show_steps(self, steps: tuple[Chosen, ...]) -> None:
        """Show these steps; nothing happens where they are shown already."""
        if self.rows and self.steps == steps:
            return
        bar = self.verticalScrollBar().value()
        for row in self.rows:
            row.hide()
            self._box.removeWidget(row)
            row.deleteLater()
        self.rows = []
        for place, chosen in enumerate(steps):
            row = StepRow(chosen, place == 0, place == len(steps) - 1)
            row.changed.connect(partial(self._changed, place))
            row.moved.connect(partial(self._moved, place))
            row.doubled.connect(partial(self._doubled, place))
            row.dropped.connect(partial(self._dropped, place))
            self.rows.append(row)
            self._box.insertWidget(place, row)
        self.verticalScrollBar().setValue(bar)

    def show_done(self, done: list[Did]) -> None:
        """What each step does; ``done`` stands in the order of the steps."""
        for row, did in zip(self.rows, done):
            if did.chosen == row.chosen:
                row.show_did(did)

    def _changed(self, place: int, chosen: Chosen) -> None:
        self.changed.emit((*self.steps[:place], chosen, *self.steps[place + 1 :]))

    def _moved(self, place: int, by: int) -> None:
        steps = list(self.steps)
        steps.insert(place + by, steps.pop(place))
        self.changed.emit(tuple(steps))

    def _doubled(self, place: int) -> None:
        one = self.steps[place]
        self.changed.emit(
            (*self.steps[: place + 1], Chosen(one.step, False, one.options), *self.steps[place + 1 :])
        )

    def _dropped(self, place: int) -> None:
        self.changed.emit((*self.steps[:place], *self.steps[place + 1 :]))
