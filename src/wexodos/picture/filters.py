"""The filters that both sides know, drawn; their settings and units stand with ``Effect``."""

from __future__ import annotations

import cv2
import numpy as np

from wexodos.evaluate import curve_values
from wexodos.footage.tables import table_medium
from wexodos.model import Effect
from wexodos.picture.decode import Picture

_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
DRAWN = ("blur", "desaturate", "brightness-contrast", "tint", "primaries")


def is_drawn(effect: Effect) -> bool:
    """Whether a filter is drawn at all: those above, and look-up tables that say which."""
    return effect.kind in DRAWN or table_medium(effect) is not None


def filtered(picture: Picture, effect: Effect, elapsed: float, scale: float) -> Picture:
    """A picture after a filter at ``elapsed`` frames; ``scale`` is picture pixels for each pixel of the frame
    its radius counts in."""
    at = np.array([elapsed])
    told = {name: curve_values(curve, at)[0] for name, curve in effect.settings}
    if effect.kind == "blur":
        # The radius is taken as twice the standard deviation.
        sigma = float(told.get("radius", np.zeros(1))[0]) * scale / 2
        return np.asarray(cv2.GaussianBlur(picture, (0, 0), sigma), np.float32) if sigma > 0.05 else picture
    share = picture[..., 3:]
    plain = np.divide(picture[..., :3], share, out=np.zeros_like(picture[..., :3]), where=share > 1e-6)
    amount = np.float32(told.get("amount", np.ones(1))[0])
    if effect.kind == "desaturate":
        plain = plain + ((plain @ _LUMA)[..., None] - plain) * amount
    elif effect.kind == "brightness-contrast":
        light, contrast = (np.float32(told.get(name, np.zeros(1))[0]) for name in ("brightness", "contrast"))
        plain = (plain - np.float32(0.5)) * (1 + contrast) + np.float32(0.5) + light
    elif effect.kind == "tint":
        color = np.asarray(told.get("color", np.ones(3)), np.float32)
        plain = plain + ((plain @ _LUMA)[..., None] * color - plain) * amount
    elif effect.kind == "primaries":
        # ASC CDL 1.2: (in · slope + offset) ^ power, then saturation about the BT.709 luma.
        slope, offset, power = (
            np.asarray(told.get(name, np.full(3, neutral)), np.float32)
            for name, neutral in (("slope", 1.0), ("offset", 0.0), ("power", 1.0))
        )
        plain = np.power(np.clip(plain * slope + offset, 0, 1), power)
        grey = (plain @ _LUMA)[..., None]
        plain = grey + (plain - grey) * np.float32(told.get("saturation", np.ones(1))[0])
    return np.concatenate([np.clip(plain, 0, 1) * share, share], axis=-1).astype(np.float32)
