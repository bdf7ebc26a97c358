"""The parts of a package as a tree that grows: what there is of each, how large it is, how far it is."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem, QWidget

from wexodos.desktop.theme import mono, palette
from wexodos.ground.names import size_words
from wexodos.tidy.step import counted
from wexodos.turnover.write import PartKind


class Group(Enum):
    """The parts of a package as people speak of them, in their order."""

    SEQUENCE = "Sequence"
    BAKED = "Baked items"
    MEDIA = "Media"
    MIX = "Guide mix"
    REFERENCE = "Reference picture"
    PAPERS = "Papers"
    SUMS = "List of sums"


_GROUP_OF = {
    PartKind.SEQUENCE: Group.SEQUENCE,
    PartKind.BAKED: Group.BAKED,
    PartKind.MEDIA: Group.MEDIA,
    PartKind.MIX: Group.MIX,
    PartKind.REFERENCE: Group.REFERENCE,
    PartKind.MANIFEST: Group.SUMS,
}
_KEY = Qt.ItemDataRole.UserRole
_MOST, _SEEN = 3000, 60


def group_of(kind: PartKind) -> Group:
    return _GROUP_OF.get(kind, Group.PAPERS)


@dataclass(frozen=True, slots=True)
class Leaf:
    """A file of the package: its path in it, what it is, its bytes (about, where it is made)."""

    name: str
    kind: PartKind
    size: int
    about: bool = False


class PackageTree(QTreeWidget):
    """``chosen`` tells which part is looked at."""

    chosen = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Parts of the package")
        self.setHeaderLabels(["part", "files", "size", "state"])
        self.setAllColumnsShowFocus(True)
        self.setUniformRowHeights(True)
        head = self.header()
        head.setStretchLastSection(False)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in ((1, 60), (2, 140), (3, 120)):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
            self.setColumnWidth(column, width)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        self.headerItem().setTextAlignment(1, right)
        self.headerItem().setTextAlignment(2, right)
        self._tops: dict[Group, QTreeWidgetItem] = {}
        self._leaves: dict[str, QTreeWidgetItem] = {}
        self._counts: dict[Group, int] = {}
        self._there: set[str] = set()
        for group in Group:
            top = QTreeWidgetItem(self, [group.value])
            top.setData(0, _KEY, group)
            self._dress(top)
            self._tops[group] = top
        self.setCurrentItem(self._tops[Group.SEQUENCE])
        self.currentItemChanged.connect(lambda _item, _was: self.chosen.emit(self.group))

    @staticmethod
    def _dress(item: QTreeWidgetItem) -> None:
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for column in (1, 2):
            item.setFont(column, mono())
            item.setTextAlignment(column, right)

    @property
    def group(self) -> Group:
        """The part that is looked at."""
        item = self.currentItem()
        while item is not None and item.parent() is not None:
            item = item.parent()
        return item.data(0, _KEY) if item is not None else Group.SEQUENCE

    def choose(self, group: Group) -> None:
        self.setCurrentItem(self._tops[group])

    def show_leaves(self, leaves: list[Leaf], words: dict[Group, str]) -> None:
        """Show what there will be; ``words`` say of parts without files why there are none."""
        self._leaves.clear()
        self._there.clear()
        for group, top in self._tops.items():
            own = [one for one in leaves if group_of(one.kind) is group]
            self._counts[group] = len(own)
            top.takeChildren()
            about = "about " if any(one.about for one in own) else ""
            top.setText(1, str(len(own)) if own else "")
            top.setText(2, f"{about}{size_words(sum(one.size for one in own))}" if own else "")
            top.setText(3, "" if own else words.get(group, "not along"))
            top.setForeground(3, QColor(palette().dim))
            rows = []
            for one in own[:_MOST]:
                # The folder says what the part above it says.
                folder, _, short = one.name.partition("/")
                name = short if short and folder == group.value else one.name
                row = QTreeWidgetItem([name, "", size_words(one.size), ""])
                row.setToolTip(0, one.name)
                self._dress(row)
                self._leaves[one.name] = row
                rows.append(row)
            if len(own) > _MOST:
                rows.append(QTreeWidgetItem([f"and {counted(len(own) - _MOST, 'file')} more"]))
            top.addChildren(rows)
            # Where there is room for all of it, all of it is seen.
            top.setExpanded(len(leaves) <= _SEEN)

    def show_there(self, names: set[str], now: str, ended: bool = False) -> None:
        """Show which files are written and read back, and which is being made."""
        for name in names - self._there:
            row = self._leaves.get(name)
            if row is not None:
                row.setText(3, "read back")
                row.setForeground(3, QColor(palette().carried))
        self._there |= names
        making = self._leaves.get(now)
        above = making.parent() if making is not None else None
        if making is not None and above is not None and above.isExpanded():
            self.scrollToItem(making)
        for group, top in self._tops.items():
            total = self._counts.get(group, 0)
            if not total or group is Group.SUMS:
                continue
            own = [name for name, row in self._leaves.items() if row.parent() is top]
            done = sum(name in self._there for name in own)
            if done == len(own):
                top.setText(3, "✓ read back")
                top.setForeground(3, QColor(palette().carried))
            elif done or now in own:
                top.setText(3, f"{done} of {total}")
                top.setForeground(3, QColor(palette().text))
        if ended:
            # Back from the file that was written last to the part one is at.
            self.scrollToItem(self.currentItem() or self._tops[Group.SEQUENCE])
            sums = self._tops[Group.SUMS]
            sums.setText(3, "✓ sealed")
            sums.setForeground(3, QColor(palette().carried))
