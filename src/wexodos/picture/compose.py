"""The frame of a cut as it is seen: all layers decoded, placed, mixed and laid over one another."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from math import ceil
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator
from wexodos.evaluate.evaluator import source_rate
from wexodos.evaluate.layers import Layer, layers_at
from wexodos.footage.source import PictureError
from wexodos.footage.stills import custom_alpha
from wexodos.footage.tables import table_medium
from wexodos.model import Adjustment, Document, Effect, Generator, Media, Sequence, Title
from wexodos.picture.blend import MATTES, MODES, STENCILS, around, box_of, matted, opaque, over
from wexodos.picture.colour import changes, is_bright, shown, space_of
from wexodos.picture.decode import Frames, Picture
from wexodos.picture.depths import SHARES, to_bytes
from wexodos.picture.fields import FIRST, in_place, slowed, woven
from wexodos.picture.filters import DRAWN, filtered
from wexodos.picture.generators import generated, slate
from wexodos.picture.joins import joined, undrawn
from wexodos.picture.measure import eight_bits
from wexodos.picture.place import corners_of, cropped, drawn, multiplied, upright_in
from wexodos.picture.tables import looked_up
from wexodos.picture.titles import drawn_title, remarks

Locate = Callable[[Media], Path | None]
Made = Callable[[int, tuple[int, int] | None], Picture]


@dataclass(slots=True)
class Shot:
    """A composed frame over black, and what could not be shown as it is: media without a file, filters that
    are not drawn. ``noted`` says how something is shown, where there was a choice."""

    picture: Picture
    missing: list[str] = field(default_factory=list)
    undrawn: list[str] = field(default_factory=list)
    noted: list[str] = field(default_factory=list)


_NOTHING: Picture = np.zeros((0, 0, 4), np.float32)


class Composer:
    """Composes the sequences of one document.

    ``locate`` says where a medium's file is, None where it is not there. ``made`` gives frames of media that
    have no file yet, by their id. ``table_of`` says through which look-up table a medium is seen,
    ``space_of`` in which colour space a person says it is. ``frames`` may be shared by several composers.
    """

    def __init__(
        self,
        document: Document,
        locate: Locate,
        frames: Frames | None = None,
        made: Mapping[str, Made] | None = None,
        evaluator: Evaluator | None = None,
        table_of: Locate | None = None,
        space_of: Callable[[Media], str] | None = None,
    ) -> None:
        self.evaluator = evaluator or Evaluator(document)
        self.locate = locate
        self._title: tuple[Title, object, Picture] | None = None
        self._boxed: tuple[Picture, tuple[slice, slice]] | None = None
        self._frames = frames or Frames()
        self._made = made or {}
        self._table_of, self._space_of = table_of, space_of
        self._spaces: dict[Path, str] = {}
        self._orders: dict[Path, str] = {}

    def frame(
        self, sequence: Sequence, frame: int, height: int | None = None, only: str | None = None
    ) -> Shot:
        """Compose a frame at ``height`` pixels (the sequence's own where that is None) in square pixels.

        ``only`` shows one item alone. What cannot be decoded becomes a slate that says so; nothing is raised.
        """
        width, height = _square(sequence, height)
        return self.together(layers_at(self.evaluator, sequence, frame, only), width, height)

    def eight_bits(
        self, sequence: Sequence, frame: int, height: int, only: str | None = None
    ) -> tuple[NDArray[np.uint8], Shot]:
        """A frame as bytes, shape (height, width, 3), not to be written into, and what could not be shown as
        it is. What is the frame of one file as it stands is not composed, and under other layers only where
        they are: it is the same, to the bit."""
        made, shot = self._eight_bits(sequence, frame, height, only)
        made.flags.writeable = False
        return made, shot

    def _eight_bits(
        self, sequence: Sequence, frame: int, height: int, only: str | None
    ) -> tuple[NDArray[np.uint8], Shot]:
        width, height = _square(sequence, height)
        layers = layers_at(self.evaluator, sequence, frame, only)
        plain = None
        if layers and all(map(_laid, layers[1:])):
            plain = self._plain(layers[0], width, height, len(layers) > 1)
        if plain is None:
            shot = self.together(layers, width, height)
            return np.asarray(cv2.cvtColor(eight_bits(shot.picture), cv2.COLOR_RGBA2RGB), np.uint8), shot
        shot = Shot(_NOTHING)
        above = [self._placed(layer, width, height, shot) for layer in layers[1:]]
        rows, columns = around([self._box(picture) for picture in above])
        if rows.start < rows.stop:
            four = cv2.cvtColor(plain[rows, columns], cv2.COLOR_RGB2RGBA)
            below = np.asarray(cv2.LUT(four, SHARES), np.float32)
            for picture in above:
                below = over(below, picture[rows, columns])
            plain = plain.copy()
            plain[rows, columns] = to_bytes(np.ascontiguousarray(below))[..., :3]
        return plain, shot

    def _box(self, picture: Picture) -> tuple[slice, slice]:
        """Where a picture has anything; of one that stands it is known."""
        known = self._boxed
        if known is None or known[0] is not picture:
            known = self._boxed = picture, box_of(picture)
        return known[1]

    def together(self, layers: tuple[Layer, ...], width: int, height: int) -> Shot:
        """Layers of one sequence over one another and over black, at a size."""
        shot = Shot(_NOTHING)
        canvas = self._stacked(layers, width, height, shot)
        if not opaque(canvas):
            black = np.zeros_like(canvas)
            black[..., 3] = 1
            canvas = over(black, canvas)
        shot.picture = canvas
        return shot

    def _plain(self, layer: Layer, width: int, height: int, whole: bool) -> NDArray[np.uint8] | None:
        """A layer that is the frame of one file as it stands: nothing to place, to filter or to bring into
        another colour space; None for every other. ``whole``: bytes are all there is of it."""
        number = layer.source_frame
        if number is None or not _bare(layer):
            return None
        media = layer.media
        if media is None or media.still or media.id in self._made:
            return None
        path = self.locate(media)
        if path is None or (self._table_of is not None and self._table_of(media) is not None):
            return None
        across, down = width / layer.frame.width, height / layer.frame.height
        corners = corners_of(layer.center, layer.size, 0.0, layer.corners) * np.array([across, down])
        fills = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
        if np.abs(corners - fills).max() >= _ON_IT or FIRST.get(self._fields(layer)) is not None:
            return None
        size = self._wanted(layer, across, down)
        own = (round(layer.source.width), round(layer.source.height))
        try:
            said = self._space_of(media) if self._space_of is not None else ""
            if changes(said or self._tagged(path, False)):
                return None
            rate = Fraction(source_rate(media, layer.sequence).fps)
            made = self._frames.untouched(path, number, rate, None if size == own else size, whole)
        except PictureError:
            return None
        return made if made is not None and made.shape == (height, width, 3) else None

    def ahead(self, sequence: Sequence, frame: int) -> list[tuple[Path, int, Fraction]]:
        """The movies that a frame needs: file, frame and the rate that counts it; those in nests are left
        out."""
        found = []
        for layer in layers_at(self.evaluator, sequence, frame):
            media = layer.media
            if media is None or layer.source_frame is None or media.still or layer.item.still:
                continue
            path = self.locate(media) if media.id not in self._made else None
            if path is not None:
                found.append((path, layer.source_frame, Fraction(source_rate(media, layer.sequence).fps)))
        return found

    # ---- layers over one another

    def _stacked(self, layers: tuple[Layer, ...], width: int, height: int, shot: Shot) -> Picture:
        waiting = list(layers)
        if len(waiting) == 1 and waiting[0].item.blend == "normal" and not _adjusts(waiting[0]):
            # Nothing to lay it over.
            return self._seen(waiting[0], None, width, height, shot)
        canvas: Picture = np.zeros((height, width, 4), np.float32)
        empty = below = last = canvas
        while waiting:
            layer = waiting.pop(0)
            if _adjusts(layer):
                canvas = self._adjusted(canvas, layer, height, shot)
                continue
            other = None
            if (
                layer.join is not None
                and waiting
                and waiting[0].join is layer.join
                and waiting[0].track == layer.track
            ):
                other = waiting.pop(0)
            picture = self._seen(layer, other, width, height, shot)
            mode = layer.item.blend
            if mode in MATTES:
                canvas, last = over(below, matted(picture, last, mode)), picture
                continue
            if mode in STENCILS:
                canvas = matted(canvas, picture, mode)
                continue
            if mode != "normal" and mode not in MODES:
                shot.undrawn.append(f"blend mode {mode}")
            below, last = canvas, picture
            # Nothing is there yet: what is laid over it is what is seen.
            canvas = picture if canvas is empty and mode == "normal" else over(canvas, picture, mode)
        return canvas

    def _seen(self, layer: Layer, other: Layer | None, width: int, height: int, shot: Shot) -> Picture:
        """One layer in its place, or the two of a transition."""
        if layer.join is None:
            return self._placed(layer, width, height, shot)
        if undrawn(layer.join):
            shot.undrawn.append(undrawn(layer.join))
        p = layer.mix if layer.incoming else 1 - layer.mix
        first, second = (None, layer) if layer.incoming else (layer, other)
        a, b = (
            self._placed(one, width, height, shot) if one is not None else None for one in (first, second)
        )
        return joined(a, b, layer.join, p, width, height)

    def _adjusted(self, canvas: Picture, layer: Layer, height: int, shot: Shot) -> Picture:
        changed = canvas
        for effect in layer.item.effects:
            if effect.enabled and effect.kind in DRAWN:
                changed = filtered(changed, effect, layer.elapsed, height / layer.frame.height)
            elif effect.enabled:
                changed = self._looked_up(changed, effect, shot)
        share = np.float32(layer.opacity * layer.mix)
        return canvas if changed is canvas else np.asarray(canvas + (changed - canvas) * share, np.float32)

    def _placed(self, layer: Layer, width: int, height: int, shot: Shot) -> Picture:
        """A layer drawn in its place with its filters and opacity."""
        across, down = width / layer.frame.width, height / layer.frame.height
        if layer.opacity <= 0 or not np.all(np.abs(layer.size) > 1e-6):
            return np.zeros((height, width, 4), np.float32)
        corners = corners_of(
            layer.center, layer.size, layer.rotation, layer.corners, layer.frame.pixel_aspect
        ) * np.array([across, down])
        first = FIRST.get(self._fields(layer))
        if first is None or (in_place(layer, corners, width, height) and not slowed(layer)):
            return self._drawn(layer, corners, width, height, shot, None)
        begins = FIRST.get(layer.sequence.field_order)
        if begins is None or height != layer.frame.height or slowed(layer):
            self._say(layer, "is interlaced: the field that comes first is shown", shot)
            return self._drawn(layer, corners, width, height, shot, first)
        self._say(layer, "is interlaced: each field is placed for itself", shot)
        one, other = (self._drawn(layer, corners, width, height, shot, lines) for lines in (first, 1 - first))
        return woven(one, other, begins)

    def _fields(self, layer: Layer) -> str:
        """Which lines of a layer's medium are shown first, as its file says, else the cut."""
        media = layer.media
        if media is None or layer.inside is not None or media.still or media.id in self._made:
            return ""
        path = self.locate(media)
        if path is not None and path not in self._orders:
            try:
                self._orders[path] = self._frames.fields(path, layer.item.still)
            except PictureError:
                return ""
        return (self._orders[path] if path is not None else "") or media.field_order

    @staticmethod
    def _say(layer: Layer, words: str, shot: Shot) -> None:
        said = f"{layer.media.file_name if layer.media is not None else layer.item.name} {words}"
        shot.noted += [said] if said not in shot.noted else []

    def _drawn(
        self,
        layer: Layer,
        corners: NDArray[np.float64],
        width: int,
        height: int,
        shot: Shot,
        lines: int | None,
    ) -> Picture:
        """A layer drawn with its corners at their places; of an interlaced medium the field of ``lines``."""
        across, down = width / layer.frame.width, height / layer.frame.height
        picture = self.source(layer, self._wanted(layer, across, down), shot, lines)
        picture = self.after(layer, layer.item.effects, picture, shot)
        made = drawn(cropped(picture, layer.crop), corners, width, height)
        return made if layer.opacity >= 1 else np.asarray(made * np.float32(layer.opacity), np.float32)

    def after(self, layer: Layer, effects: Iterable[Effect], picture: Picture, shot: Shot) -> Picture:
        """The picture of a layer after filters."""
        for effect in effects:
            if effect.enabled and effect.kind in DRAWN:
                picture = filtered(picture, effect, layer.elapsed, picture.shape[0] / layer.frame.height)
            elif effect.enabled:
                picture = self._looked_up(picture, effect, shot)
        return picture

    def _tagged(self, path: Path, still: bool) -> str:
        """The colour space a file says; asked once."""
        if path not in self._spaces:
            self._spaces[path] = space_of(*self._frames.coded(path, still))
        return self._spaces[path]

    def _looked_up(self, picture: Picture, effect: Effect, shot: Shot) -> Picture:
        """A picture after the table an effect names; as it is, and said, for every other effect and where the
        table is not there."""
        table = table_medium(effect)
        path = self.locate(table) if table is not None else None
        if path is not None:
            try:
                return looked_up(picture, path)
            except PictureError:
                shot.undrawn.append(f"{effect.name} (the table cannot be read)")
                return picture
        shot.undrawn.append(effect.name if table is None else f"{effect.name} (the table is not there)")
        return picture

    @staticmethod
    def _wanted(layer: Layer, across: float, down: float) -> tuple[int, int]:
        """The size a source is needed at: its own, or so many 24ths of it that it is no smaller than what is
        seen. Steps, so that a size that changes slowly does not need another picture each time; 24ths, so
        that a half, a third and a quarter are what they are."""
        share = min(
            1.0,
            max(
                abs(layer.size[0]) * across / layer.source.width,
                abs(layer.size[1]) * down / layer.source.height,
            ),
        )
        part = max(1, ceil(share * 24 - 1e-6)) / 24
        return max(1, round(layer.source.width * part)), max(1, round(layer.source.height * part))

    # ---- what a layer shows before it is placed

    def source(self, layer: Layer, size: tuple[int, int], shot: Shot, lines: int | None = None) -> Picture:
        """The picture of a layer as its source gives it, at about ``size`` (width, height), multiplied by its
        alpha."""
        content = layer.item.content
        if layer.inside is not None:
            return self._stacked(layer.inside, *size, shot)
        if isinstance(content, Title):
            shot.undrawn += [one for one in remarks(content, layer.frame.width) if one not in shot.undrawn]
            return self._titled(layer, content, size)
        if isinstance(content, Generator):
            return generated(content, *size)
        return self._decoded(layer, size, shot, lines)

    def _titled(self, layer: Layer, title: Title, size: tuple[int, int]) -> Picture:
        """A title; one that stands is drawn once for all its frames."""
        frame = (layer.frame.width, layer.frame.height)
        if title.roll is not None:
            progress = min(1.0, max(0.0, layer.elapsed / max(1.0, float(layer.item.duration))))
            return drawn_title(title, *size, frame, progress)
        known = self._title
        if known is None or known[0] is not title or known[1] != (size, frame):
            made = drawn_title(title, *size, frame, 0.0)
            made.setflags(write=False)
            known = self._title = title, (size, frame), made
        return known[2]

    def _decoded(self, layer: Layer, size: tuple[int, int], shot: Shot, lines: int | None) -> Picture:
        media, number = layer.media, layer.source_frame or 0
        if media is None:
            shot.missing.append(layer.item.name)
            return slate([layer.item.name or "no media", "nothing to read"], *size)
        whole = (round(layer.source.width), round(layer.source.height))
        most = None if size == whole else size
        try:
            if media.id in self._made:
                return self._made[media.id](number, most)
            path = self.locate(media)
            if path is None:
                shot.missing.append(media.file_name)
                code = None if media.still else media.timecode(number, layer.sequence.drop_frame)
                return slate(
                    [media.file_name, *([str(code)] if code is not None else []), "not found"], *size
                )
            still = layer.item.still or media.still
            rate = Fraction(source_rate(media, layer.sequence).fps)
            picture = self._frames.frame(path, number, rate, still, most, lines)
            alpha = layer.item.alpha or media.alpha or custom_alpha(path)
            picture = upright_in(multiplied(picture, alpha), *whole)
            space = (self._space_of(media) if self._space_of is not None else "") or self._tagged(path, still)
            table = self._table_of(media) if self._table_of is not None else None
            if table is not None and is_bright(space):
                # Such a table is made for the signal as it stands.
                return looked_up(picture, table)
            if is_bright(space):
                said = f"is in {space}: its reference white is shown as white, what is brighter is cut off"
                self._say(layer, said, shot)
            picture = shown(picture, space)
            return looked_up(picture, table) if table is not None else picture
        except PictureError:
            shot.missing.append(media.file_name)
            return slate([media.file_name, "cannot be decoded"], *size)


def _square(sequence: Sequence, height: int | None) -> tuple[int, int]:
    """Width and height of a sequence's frame in square pixels, so many high."""
    wide, tall = sequence.frame_size
    height = height or tall
    return max(1, round(height * wide * float(sequence.pixel_aspect) / tall)), height


_ON_IT = 1e-6
"""Pixels by which a corner may lie beside the canvas's and is still on it, as in ``drawn``."""


def _bare(layer: Layer) -> bool:
    """Whether a layer is a source by itself, whole and upright."""
    item = layer.item
    return (
        layer.join is None
        and layer.inside is None
        and not isinstance(item.content, (Title, Generator, Adjustment))
        and item.blend == "normal"
        and not item.still
        and not any(one.enabled for one in item.effects)
        and layer.opacity >= 1
        and not layer.rotation
        and not np.any(layer.crop)
    )


def _laid(layer: Layer) -> bool:
    """Whether a layer is only laid over what is below it."""
    return layer.join is None and layer.item.blend == "normal" and not _adjusts(layer)


def _adjusts(layer: Layer) -> bool:
    return isinstance(layer.item.content, Adjustment)
