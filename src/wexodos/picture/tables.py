"""Look-up tables and corrections that stand in files of their own, applied to pictures.

``.cube`` (1D and 3D), ``.3dl`` and ASC CDL (``.cdl``, ``.cc``, ``.ccc``: the first correction) are read by
OpenColorIO, which looks up between the points of a table: along a straight line in one dimension, in
tetrahedra in three.
"""

from __future__ import annotations

import threading
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from wexodos.footage.source import PictureError
from wexodos.footage.tables import problem_of
from wexodos.picture.decode import Picture

ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
_lock = threading.Lock()
_known: dict[str, tuple[tuple[int, int], ocio.CPUProcessor]] = {}
_MOST = 64


def looked_up(picture: Picture, path: Path) -> Picture:
    """A picture (multiplied by its alpha) after a table. Raises ``PictureError``."""
    share = picture[..., 3:]
    plain = np.divide(picture[..., :3], share, out=np.zeros_like(picture[..., :3]), where=share > 1e-6)
    plain = np.ascontiguousarray(plain, np.float32)
    _processor(path).applyRGB(plain)
    return np.concatenate([plain * share, share], axis=-1).astype(np.float32)


def _processor(path: Path) -> ocio.CPUProcessor:
    try:
        told = path.stat()
    except OSError as error:
        raise PictureError(f"{path}: {(error.strerror or str(error)).lower()}") from None
    stamp = told.st_size, told.st_mtime_ns
    with _lock:
        known = _known.get(str(path))
        if known is not None and known[0] == stamp:
            return known[1]
        problem = problem_of(path)
        if problem:
            raise PictureError(f"{path}: {problem}")
        if known is not None:
            # The library keeps files by their path.
            ocio.ClearAllCaches()
        transform = ocio.FileTransform(src=str(path.absolute()), interpolation=ocio.INTERP_BEST)
        # After its specification: what leaves 0 to 1 is cut off.
        transform.setCDLStyle(ocio.CDL_ASC)
        try:
            processor = ocio.Config.CreateRaw().getProcessor(transform)
            made = processor.getOptimizedCPUProcessor(
                ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
            )
        except ocio.Exception:
            raise PictureError(f"{path}: the table cannot be read") from None
        while len(_known) >= _MOST:
            _known.pop(next(iter(_known)))
        _known[str(path)] = stamp, made
        return made
