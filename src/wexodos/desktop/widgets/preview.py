"""One picture, as large as there is room."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap, QResizeEvent
from PySide6.QtWidgets import QLabel, QSizePolicy, QWidget


class Preview(QLabel):
    """A picture as large as there is room."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setMinimumHeight(120)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("A frame of the reference picture as it will be")
        self.image: QImage | None = None

    def show_image(self, image: QImage | None, words: str = "") -> None:
        self.image = image
        if image is None:
            self.setPixmap(QPixmap())
            self.setText(words)
        else:
            self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.image is not None:
            self._fit()

    def _fit(self) -> None:
        assert self.image is not None
        self.setPixmap(
            QPixmap.fromImage(self.image).scaled(
                self.size(),
                Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
        )
