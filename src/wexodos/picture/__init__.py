"""Pictures of the cut: source frames decoded exactly, placed, mixed and laid over one another. No Qt.

A picture is an array of shape (height, width, 4), float32: red, green and blue multiplied by alpha, alpha,
all 0 to 1. Values are those of the source's own transfer curve, as picture editors mix them.
"""

from wexodos.footage.source import PictureError
from wexodos.picture.compose import Composer
from wexodos.picture.decode import Frames
from wexodos.picture.measure import Gap, difference, eight_bits

__all__ = ["Composer", "Frames", "Gap", "PictureError", "difference", "eight_bits"]
