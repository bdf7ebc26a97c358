"""Between the dialect's units and the model's (7.1, 9).

position   percent of the frame's height, y up ↔ pixels from the centre, y down: px = x·FH/100, -y·FH/100
scale      factor on the fitted size, the same in both with fit mode ``fit``
rotation   degrees anticlockwise ↔ clockwise
anchor     percent of the frame's height on the fitted, unscaled picture, y up ↔ fraction of the source
corners    percent of the source's height, y up ↔ fractions of the source, y down; across times height/width
crop       trim-rect percent of the source's height ↔ fractions; left and right times height/width
opacity    0..1, the same in both
level      dB, straight in dB
pan        -100..100 ↔ -1..1

``FH`` is the frame's height; positions across are in square pixels, so divided by the frame's pixel aspect.
"""

from __future__ import annotations

from dataclasses import dataclass

from wexodos.evaluate.geometry import Raster, fit_factor
from wexodos.model.curves import Vector

SILENCE_DB = -96.0
MAX_DB = 12.0


@dataclass(frozen=True, slots=True)
class Space:
    """The frame and the source a picture's motion is measured in."""

    frame: Raster
    source: Raster
    fit: str = "fit"

    @property
    def fitted(self) -> tuple[float, float]:
        """Width and height of the source in square pixels after fitting."""
        k = fit_factor(self.fit, self.source, self.frame)
        return self.source.width * self.source.pixel_aspect * k, self.source.height * k

    def position_in(self, value: Vector) -> Vector:
        unit = self.frame.height / 100.0
        return value[0] * unit / self.frame.pixel_aspect, -value[-1] * unit + 0.0

    def position_out(self, value: Vector) -> Vector:
        unit = self.frame.height / 100.0
        return value[0] * self.frame.pixel_aspect / unit, -value[1] / unit + 0.0

    def anchor_in(self, value: Vector) -> Vector:
        unit = self.frame.height / 100.0
        width, height = self.fitted
        return value[0] * unit / width, -value[-1] * unit / height + 0.0

    def anchor_out(self, value: Vector) -> Vector:
        unit = self.frame.height / 100.0
        width, height = self.fitted
        return value[0] * width / unit, -value[1] * height / unit + 0.0

    def crop_in(self, left: float, top: float, right: float, bottom: float) -> Vector:
        return left * self._across, top / 100.0, right * self._across, bottom / 100.0

    def corner_in(self, value: Vector) -> Vector:
        return value[0] * self._across, -value[-1] / 100.0 + 0.0

    def corner_out(self, value: Vector) -> Vector:
        return value[0] / self._across, -value[1] * 100.0 + 0.0

    @property
    def _across(self) -> float:
        """Percent of the source's height as a fraction of its width."""
        return self.source.height / (self.source.width * self.source.pixel_aspect) / 100.0

    def crop_out(self, value: Vector) -> Vector:
        return value[0] / self._across, value[1] * 100.0, value[2] / self._across, value[3] * 100.0


def number(value: float) -> str:
    """Spell a number with up to ten significant digits and never with an exponent."""
    text = f"{value:.10g}"
    if "e" in text:
        text = f"{value:.10f}".rstrip("0").rstrip(".")
    return text if text not in ("-0", "") else "0"
