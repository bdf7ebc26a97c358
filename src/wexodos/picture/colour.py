"""Colour spaces of media, and how they are shown in a sequence, whose pictures are BT.709.

A medium's space is what its tags say, or what a person says of it. Conversions are those of OpenColorIO with
the configuration it brings. Of high dynamic range the reference white of ITU-R BT.2408, 203 cd/m², becomes
white.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio

from wexodos.picture.decode import Picture

AS_IT_IS = "BT.709"
"""Media that are mixed as they stand: BT.709, BT.601 and sRGB, as picture editors take them."""
_CONFIG = "studio-config-v2.2.0_aces-v1.3_ocio-v2.4"
_LINEAR = "Linear Rec.709 (sRGB)"
_SHOWN = "Gamma 2.4 Encoded Rec.709"
_GAMMA = 2.4
"""The display curve of BT.1886 over a black of nought."""
_SPACES = {
    "linear BT.709": (_LINEAR, False),
    "linear BT.2020": ("Linear Rec.2020", False),
    "linear P3 D65": ("Linear P3-D65", False),
    "BT.2020": ("Linear Rec.2020", True),
    "P3 D65": ("Linear P3-D65", True),
    "ACEScg": ("ACEScg", False),
    "ACEScct": ("ACEScct", False),
    "ACES2065-1": ("ACES2065-1", False),
}
"""Spaces with their names in the configuration, and whether their values are coded for a display."""
_BRIGHT = {
    "PQ": "Rec.2100-PQ - Display",
    "PQ P3 D65": "ST2084-P3-D65 - Display",
    "HLG": "Rec.2100-HLG - Display",
}
"""High dynamic range: the configuration's light of 1 is 100 cd/m² (HLG: at most 1000)."""
_WHITE = 100 / 203
SPACES = (AS_IT_IS, *_SPACES, *_BRIGHT)


def space_of(primaries: str, transfer: str) -> str:
    """The space that tags say, in the words of ``media.facts``.

    >>> space_of("", "linear"), space_of("BT.2020", "BT.2020"), space_of("BT.601 625", "BT.601")
    ('linear BT.709', 'BT.2020', 'BT.709')
    """
    if transfer in _BRIGHT:
        own = f"{transfer} {primaries}"
        return own if own in _BRIGHT else transfer
    own = primaries if primaries in ("BT.2020", "P3 D65") else "BT.709"
    return f"linear {own}" if transfer == "linear" else own


def is_bright(space: str) -> bool:
    """Whether a space goes beyond the white that is shown."""
    return space in _BRIGHT


def changes(space: str) -> bool:
    """Whether a picture of a space has other numbers when it is shown."""
    return space in _SPACES or space in _BRIGHT


def shown(picture: Picture, space: str) -> Picture:
    """A picture (multiplied by its alpha) of a space as BT.709; as it is where nothing is to be done."""
    if not changes(space):
        return picture
    share = picture[..., 3:]
    plain = np.divide(picture[..., :3], share, out=np.zeros_like(picture[..., :3]), where=share > 1e-6)
    plain = np.ascontiguousarray(plain, np.float32)
    _processor(space).applyRGB(plain)
    return np.concatenate([plain * share, share], axis=-1).astype(np.float32)


@lru_cache(maxsize=16)
def _processor(space: str) -> ocio.CPUProcessor:
    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
    steps: list[ocio.Transform] = []
    name, coded = _SPACES.get(space, (_LINEAR, False))
    if space in _BRIGHT:
        white = np.diag([_WHITE, _WHITE, _WHITE, 1.0])
        steps += [ocio.ColorSpaceTransform(_BRIGHT[space], _LINEAR), ocio.MatrixTransform(white.ravel())]
    if coded:
        curve = ocio.ExponentTransform([_GAMMA, _GAMMA, _GAMMA, 1.0])
        curve.setNegativeStyle(ocio.NEGATIVE_MIRROR)
        steps.append(curve)
    steps.append(ocio.ColorSpaceTransform(name, _SHOWN))
    made = ocio.Config.CreateFromBuiltinConfig(_CONFIG).getProcessor(ocio.GroupTransform(steps))
    return made.getOptimizedCPUProcessor(ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS)
