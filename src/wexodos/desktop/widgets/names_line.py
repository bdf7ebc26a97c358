"""How the names of renders are read: as a scheme that can be written otherwise, and as a sentence."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QWidget

from wexodos.desktop.theme import mono
from wexodos.homecoming.naming import Scheme, said
from wexodos.tidy.shots import SchemeError

_ABOUT = (
    "{number} is the number of the event, {number:10} in tens; {item}, {source}, {reel}, {track} and {id} "
    "are the clip's; {counter} counts something else, {version} and {any} say nothing. Empty, it is learnt "
    "from the names."
)


class NamesLine(QWidget):
    """``decide`` is told the scheme a person writes; empty, it is learnt from the names."""

    def __init__(self, decide: Callable[..., None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._decide, self._shown = decide, ""
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        label = QLabel("Names are read as")
        self.scheme = QLineEdit()
        self.scheme.setFont(mono(13))
        self.scheme.setMaximumWidth(300)
        self.scheme.setAccessibleName("How the names of renders are read")
        self.scheme.setToolTip(_ABOUT)
        self.scheme.setPlaceholderText("nothing they have in common")
        self.scheme.editingFinished.connect(self._written)
        label.setBuddy(self.scheme)
        self.words = QLabel()
        self.words.setProperty("role", "dim")
        self.words.setWordWrap(True)
        box.addWidget(label)
        box.addWidget(self.scheme, 1)
        box.addWidget(self.words, 2)

    def show_scheme(self, scheme: Scheme | None, renders: bool = True) -> None:
        """Show how they are read; nothing where no renders came."""
        self.setVisible(renders)
        self._shown = scheme.text if scheme is not None else ""
        self.scheme.setText(self._shown)
        self.words.setText(scheme.meaning if scheme is not None else "")

    def _written(self) -> None:
        text = self.scheme.text().strip()
        if text == self._shown:
            return
        try:
            if text:
                said(text, [])
        except SchemeError as error:
            self.words.setText(str(error))
            return
        self._shown = text
        self._decide(names=text)
