"""The options of each part of a package; they stand beside the part that is looked at."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wexodos.desktop.stops.base import dim, heading
from wexodos.desktop.widgets.package_tree import Group
from wexodos.tidy.shots import SCHEME
from wexodos.turnover.package.burnt import CORNERS, Burn
from wexodos.turnover.package.wish import burns_of, words_of
from wexodos.turnover.trim.recorded import Anew, offered

_MEDIA = (
    ("whole", "the files as they are"),
    ("trimmed", "only what is used of them"),
    ("none", "a list only"),
)
_ANEW = {
    Anew.NONE: "whole, or with more around it",
    Anew.PRORES: "coded anew as ProRes 422 HQ",
    Anew.DNXHR: "coded anew as DNxHR HQX",
}
_MIXES = (
    ("stereo", "one stereo file"),
    ("mono", "one mono file"),
    ("stems", "a file for each stem"),
    ("none", "none"),
)
_CODECS = (("none", "none"), ("h264", "H.264 in MOV"), ("prores", "ProRes 422 LT in MOV"))
_HEIGHTS = ("360", "540", "720", "1080", "2160")
_SHAPES = (
    ("0", "none"),
    ("1.33", "1.33:1"),
    ("1.66", "1.66:1"),
    ("1.78", "1.78:1"),
    ("1.85", "1.85:1"),
    ("2", "2:1"),
    ("2.39", "2.39:1"),
)
_BURNS = (
    ("record", "record timecode"),
    ("source", "source and its timecode"),
    ("frame", "frame number"),
    ("made", "when it was made"),
    ("text", "words"),
)
_ABOUT = {
    Group.SEQUENCE: "The cut as the destination has it, read back and proved. What it is made of is set "
    "under “Sequence and report”; the handles of shots are those under “Media”.",
    Group.BAKED: "What the destination cannot have as it is, rendered: titles, generators, speeds, filters. "
    "Chosen for each finding in Carry-over.",
    Group.MEDIA: "The files the other side needs. Trimmed, they keep their timecode and are copied as "
    "they are; what cannot be cut so goes whole, or is coded anew.",
    Group.MIX: "The sound as it stands, to the sample as long as the picture, with its time reference.",
    Group.REFERENCE: "A movie of the cut as it is seen here, with timecode track and the guide mix.",
    Group.PAPERS: "Cover sheet, report, cut list, pull list, media list.",
    Group.SUMS: "The sum of every file, so that the other side can check what arrived. Always along.",
}


class PackageOptions(QStackedWidget):
    """``changed(name, value)`` asks for a decision, in the words of ``turnover/package/wish``;
    ``bake_asked`` for what the destination proposes to bake."""

    changed = Signal(str, str)
    bake_asked = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._forms: dict[Group, QFormLayout] = {}
        self.notes: dict[Group, QLabel] = {}
        for group in Group:
            self._page(group)
        self.one_file = self._switch(Group.SEQUENCE, "one file", "in one file where that can be")
        self.by_shot = QCheckBox("every shot in a file of its own")
        self.by_shot.setToolTip("With handles, a slate and a list of them; versions come back by their names")
        self.by_shot.clicked.connect(lambda on: self.changed.emit("shots", self._scheme() if on else ""))
        self._forms[Group.SEQUENCE].addRow(self.by_shot)
        self.scheme = QLineEdit()
        self.scheme.setPlaceholderText(SCHEME)
        self.scheme.setAccessibleName("names of shots")
        self.scheme.setToolTip("{sequence}, {number}, {item} and {track} stand for what they say")
        self.scheme.editingFinished.connect(self._renamed)
        self._forms[Group.SEQUENCE].addRow(dim("called"), self.scheme)
        self.slate = self._switch(Group.SEQUENCE, "slate", "a slate before each")
        self.media = self._choice(Group.MEDIA, "media", "files", _MEDIA)
        self.handles = QDoubleSpinBox()
        self.handles.setRange(-0.5, 3600)
        self.handles.setSingleStep(0.5)
        self.handles.setDecimals(1)
        self.handles.setSuffix(" s")
        self.handles.setSpecialValueText("as the destination has it")
        self.handles.setKeyboardTracking(False)
        self.handles.setAccessibleName("handles")
        self.handles.valueChanged.connect(
            lambda value: self.changed.emit("handles", f"{value:g}" if value >= 0 else "")
        )
        self._forms[Group.MEDIA].addRow(dim("handles"), self.handles)
        self.anew = self._choice(
            Group.MEDIA, "anew", "otherwise", tuple((one.value, _ANEW[one]) for one in offered())
        )
        self.anew.setToolTip(
            "How that goes along which cannot be cut at every frame as it is: coded in groups of frames, "
            "coded sound, recordings in several files."
        )
        self.since = self._choice(Group.MEDIA, "since", "send", (("", "everything"),))
        self.incomplete = self._switch(Group.MEDIA, "incomplete", "send it although media are missing")
        self.mix = self._choice(Group.MIX, "mix", "files", _MIXES)
        self.reference = self._choice(Group.REFERENCE, "reference", "movie", _CODECS)
        self.lines = self._choice(
            Group.REFERENCE, "height", "height", tuple((one, f"{one} lines") for one in _HEIGHTS)
        )
        self.shape = self._choice(Group.REFERENCE, "shape", "frame lines", _SHAPES)
        self._forms[Group.REFERENCE].addRow(heading("Burned in"))
        self.places: dict[str, QComboBox] = {}
        for kind, words in _BURNS:
            box = QComboBox()
            box.addItem("–", "")
            for corner in CORNERS:
                box.addItem(corner.replace("-", " "), corner)
            box.setAccessibleName(words)
            box.activated.connect(self._burned)
            self.places[kind] = box
            self._forms[Group.REFERENCE].addRow(dim(words), box)
        self.words = QLineEdit()
        self.words.setPlaceholderText("words to burn in")
        self.words.setAccessibleName("words to burn in")
        self.words.editingFinished.connect(self._burned)
        self._forms[Group.REFERENCE].addRow(dim(""), self.words)
        self.papers = self._switch(Group.PAPERS, "papers", "send papers along")
        self.contact = QLineEdit()
        self.contact.setPlaceholderText("name and how to reach them")
        self.contact.setAccessibleName("whom to ask")
        self.contact.editingFinished.connect(
            lambda: self.changed.emit("contact", self.contact.text().strip())
        )
        self._forms[Group.PAPERS].addRow(dim("whom to ask"), self.contact)
        self.bake = QPushButton("Bake what the destination proposes")
        self.bake.clicked.connect(lambda: self.bake_asked.emit())
        self._forms[Group.BAKED].addRow(self.bake)

    def _scheme(self) -> str:
        return self.scheme.text().strip() or SCHEME

    def _renamed(self) -> None:
        if self.by_shot.isChecked():
            self.changed.emit("shots", self._scheme())

    def _page(self, group: Group) -> None:
        page = QWidget()
        box = QVBoxLayout(page)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(heading(group.value))
        box.addWidget(dim(_ABOUT[group]))
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.setHorizontalSpacing(12)
        form.setVerticalSpacing(6)
        box.addLayout(form)
        note = dim("")
        note.hide()
        box.addWidget(note)
        box.addStretch(1)
        self._forms[group], self.notes[group] = form, note
        self.addWidget(page)

    def _choice(self, group: Group, name: str, label: str, choices: tuple[tuple[str, str], ...]) -> QComboBox:
        box = QComboBox()
        for value, words in choices:
            box.addItem(words, value)
        box.setAccessibleName(f"{group.value}: {label}")
        box.activated.connect(lambda _=0: self.changed.emit(name, box.currentData()))
        self._forms[group].addRow(dim(label), box)
        return box

    def _switch(self, group: Group, name: str, words: str) -> QCheckBox:
        check = QCheckBox(words)
        check.clicked.connect(lambda on: self.changed.emit(name, "yes" if on else "no"))
        self._forms[group].addRow(check)
        return check

    def _burned(self) -> None:
        """One of the burn-ins was chosen otherwise."""
        found = []
        for kind, box in self.places.items():
            words = self.words.text().strip() if kind == "text" else ""
            if box.currentData() and (kind != "text" or words):
                found.append(Burn(kind, box.currentData(), words))
        self.changed.emit("burns", words_of(tuple(found)))

    def show_group(self, group: Group) -> None:
        self.setCurrentIndex(list(Group).index(group))

    def note(self, group: Group, words: str) -> None:
        """What is to be known of a part."""
        self.notes[group].setText(words)
        self.notes[group].setVisible(bool(words))

    def show_packages(self, packages: tuple[str, ...]) -> None:
        """Offer the packages that were made of the job and are still there."""
        there = [one for one in packages if Path(one).exists()]
        if there == [self.since.itemData(place) for place in range(1, self.since.count())]:
            return
        self.since.clear()
        self.since.addItem("everything", "")
        for one in there:
            self.since.addItem(f"only what is new since {Path(one).name}", one)

    def show_values(self, values: Mapping[str, str], bakes: bool, several: bool) -> None:
        """Show what is decided; ``bakes``: whether the destination proposes to bake anything, ``several``:
        whether more than one sequence goes along."""
        self.one_file.setVisible(several and not values["shots"])
        self.by_shot.setChecked(bool(values["shots"]))
        if values["shots"] and self.scheme.text().strip() != values["shots"]:
            self.scheme.setText(values["shots"])
        self.slate.setChecked(values["slate"] != "no")
        for one in (self.scheme, self.slate):
            one.setEnabled(bool(values["shots"]))
        for name, box in (
            ("media", self.media),
            ("anew", self.anew),
            ("since", self.since),
            ("mix", self.mix),
            ("reference", self.reference),
            ("height", self.lines),
            ("shape", self.shape),
        ):
            box.setCurrentIndex(max(0, box.findData(values[name])))
        was = self.handles.blockSignals(True)
        self.handles.setValue(float(values["handles"]) if values["handles"] else -0.5)
        self.handles.blockSignals(was)
        # As high as the others, which is known only when they have their style.
        self.handles.setMinimumHeight(self.media.sizeHint().height())
        self.handles.setEnabled(values["media"] == "trimmed" or bool(values["shots"]))
        self.anew.setEnabled(values["media"] == "trimmed")
        self.incomplete.setChecked(values["incomplete"] == "yes")
        self.papers.setChecked(values["papers"] != "no")
        self.one_file.setChecked(values["one file"] != "no")
        if self.contact.text().strip() != values["contact"]:
            self.contact.setText(values["contact"])
        burns = {one.kind: one for one in burns_of(values["burns"])}
        for kind, box in self.places.items():
            burn = burns.get(kind)
            # Words may still be waiting for their place, or a place for its words.
            if kind != "text" or burn is not None:
                box.setCurrentIndex(box.findData(burn.corner) if burn is not None else 0)
            if kind == "text" and burn is not None and burn.words != self.words.text().strip():
                self.words.setText(burn.words)
        made = values["reference"] != "none"
        makes: list[QWidget] = [self.lines, self.shape, self.words, *self.places.values()]
        for each in makes:
            each.setEnabled(made)
        self.bake.setVisible(bakes)
