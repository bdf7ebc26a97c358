"""What is seen and heard at a time: the judge that carry-over, comparison and return rest on."""

from wexodos.evaluate.curves import curve_values, joined
from wexodos.evaluate.evaluator import Evaluator, fade_gain
from wexodos.evaluate.geometry import Raster, placed
from wexodos.evaluate.results import Evaluation, PictureSpan, SoundSpan
from wexodos.evaluate.state import state_at
from wexodos.evaluate.times import Times

__all__ = [
    "Evaluation",
    "Evaluator",
    "PictureSpan",
    "Raster",
    "SoundSpan",
    "Times",
    "curve_values",
    "fade_gain",
    "joined",
    "placed",
    "state_at",
]
