"""The reference picture: a movie of a cut as our compositor shows it, with its sound, its timecode and what
is wanted burned in."""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace, VideoReformatter
from numpy.typing import NDArray

from wexodos.evaluate import Evaluator
from wexodos.evaluate.layers import layers_at
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.ground.memory import give_back
from wexodos.ground.names import safe_name
from wexodos.model import Document, Sequence
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Locate
from wexodos.sound.mixing import RATE, mixed
from wexodos.timing import Timecode, floor
from wexodos.turnover.package.burnt import Burn, burn, lines
from wexodos.turnover.write import Part, PartKind

FOLDER = "Reference picture"
_BT709 = 1
"""What ITU-T H.273 calls BT.709, for primaries, transfer and matrix; and the narrow range of the library."""


_AHEAD = 8
"""So many frames are made before they are coded."""
_AT_ONCE = 25
"""So many frames of sound are mixed at a time."""


class Codec(StrEnum):
    """How the reference picture is coded."""

    NONE = "none"
    H264 = "h264"
    PRORES = "prores"


_CODERS: dict[Codec, tuple[str, str, dict[str, str]]] = {
    Codec.H264: ("libx264", "yuv420p", {"crf": "18", "preset": "veryfast"}),
    Codec.PRORES: ("prores_ks", "yuv422p10le", {"profile": "1"}),
}


@dataclass(slots=True)
class Reference:
    """A reference picture to be made: ``height`` pixels high, a width and height of whole pairs, with the
    edges of a frame of another ``shape`` (width by height) where that is none of nought; ``made`` says when.
    ``said`` gathers what is not drawn as it is, by the frames."""

    document: Document
    sequence: Sequence
    locate: Locate
    codec: Codec
    height: int
    burns: tuple[Burn, ...] = ()
    shape: float = 0.0
    made: str = ""
    said: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in square pixels."""
        wide, tall = self.sequence.frame_size
        shape = wide * float(self.sequence.pixel_aspect) / tall
        height = max(2, self.height // 2 * 2)
        return max(2, round(height * shape / 2) * 2), height

    def told(self) -> dict[str, list[int]]:
        """What is not drawn as it is, to be kept with the movie."""
        return dict(self.said)

    def recall(self, told: Any) -> None:
        """The same of a movie that was made earlier."""
        self.said.clear()
        self.said.update({str(words): [int(one) for one in frames] for words, frames in told.items()})

    def write(self, path: Path, progress: Progress) -> None:
        """Make the file and count its frames. Raises ``WriteError``."""
        try:
            self._write(path, progress)
            with av.open(str(path)) as back:
                there = back.streams.video[0].frames
            if there != self.sequence.duration:
                raise WriteError(f"{path}: {self.sequence.duration} frames were written, {there} are there")
        except av.error.FFmpegError as error:
            raise WriteError(f"{path}: cannot be encoded ({error.__class__.__name__})") from None
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {reason(error)}") from None

    def _write(self, path: Path, progress: Progress) -> None:
        coder, form, options = _CODERS[self.codec]
        rate, cut = Fraction(self.sequence.rate.fps), self.sequence
        composer = Composer(self.document, self.locate, Frames.in_order())
        sounding = any(track.items for track in cut.audio_tracks)
        with av.open(str(path), "w", format="mov") as container:
            stream: Any = container.add_stream(coder, rate=rate, options=options)
            stream.width, stream.height = self.size
            stream.pix_fmt, stream.time_base = form, 1 / rate
            stream.metadata["timecode"] = str(Timecode(cut.start, cut.rate, cut.drop_frame))
            context = stream.codec_context
            context.color_primaries = context.color_trc = context.colorspace = _BT709
            context.color_range = _BT709
            voice: Any = None
            if sounding:
                voice = container.add_stream("pcm_s24le", rate=cut.sample_rate or RATE, layout="stereo")
            for number, (frame, sound) in enumerate(self._frames(composer, form, sounding, progress)):
                if number % _GIVEN_BACK == 0:
                    give_back()
                frame.pts, frame.time_base = number, 1 / rate
                container.mux(stream.encode(frame))
                if sound is not None:
                    container.mux(voice.encode(sound))
            container.mux(stream.encode(None))
            if voice is not None:
                container.mux(voice.encode(None))

    def _sound(self, evaluator: Evaluator, first: int, count: int) -> av.AudioFrame:
        """The sound of so many frames, as 24 bits in the upper part of 32."""
        rate = self.sequence.sample_rate or RATE
        data = mixed(evaluator, self.sequence, first, count, self.locate, rate).astype(np.float64)
        full = 1 << 23
        whole = np.clip(np.rint(data * full), -full, full - 1).astype(np.int32) << 8
        frame = av.AudioFrame.from_ndarray(whole.reshape(1, -1), format="s32", layout="stereo")
        frame.sample_rate, frame.time_base = rate, Fraction(1, rate)
        frame.pts = floor(self.sequence.rate.seconds(first) * rate)
        return frame

    def _frames(
        self, composer: Composer, form: str, sounding: bool, progress: Progress
    ) -> Iterator[tuple[av.VideoFrame, av.AudioFrame | None]]:
        """The frames in their order, as they are coded, with the sound that begins with them; while one is
        coded the next ones are made."""
        cut, colours = self.sequence, VideoReformatter()

        def made(number: int) -> av.VideoFrame:
            return colours.reformat(
                av.VideoFrame.from_numpy_buffer(
                    np.ascontiguousarray(self.picture(composer, number)), format="rgb24"
                ),
                format=form,
                dst_colorspace=Colorspace.ITU709,
                dst_color_range=ColorRange.MPEG,
                threads=1,
            )

        def heard(number: int) -> av.AudioFrame | None:
            if not sounding or number % _AT_ONCE:
                return None
            return self._sound(composer.evaluator, number, min(_AT_ONCE, cut.duration - number))

        with ThreadPoolExecutor(1) as pictures, ThreadPoolExecutor(1) as sounds:
            waiting: deque[tuple[Future[av.VideoFrame], Future[av.AudioFrame | None]]] = deque()
            try:
                for number in range(cut.duration + _AHEAD):
                    if number < cut.duration:
                        waiting.append((pictures.submit(made, number), sounds.submit(heard, number)))
                    if number >= _AHEAD:
                        progress(f"reference picture of {cut.name}", (number - _AHEAD) / cut.duration)
                        if waiting:
                            picture, sound = waiting.popleft()
                            yield picture.result(), sound.result()
            finally:
                for one in waiting:
                    for part in one:
                        part.cancel()

    def picture(self, composer: Composer, number: int) -> NDArray[np.uint8]:
        """A frame as it will be, shape (height, width, 3); what it does not show as it is is ``said``."""
        size = self.size
        picture, shot = composer.eight_bits(self.sequence, number, size[1])
        for words in (*(f"{one}: not found" for one in shot.missing), *shot.undrawn, *shot.noted):
            self.said[words].append(number)
        if picture.shape[1] != size[0]:
            picture = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)
        if self.shape or self.burns:
            picture = picture.copy()
        if self.shape:
            lines(picture, self.shape)
        rows: dict[str, int] = defaultdict(int)
        for one in self.burns:
            burn(picture, self._words(one, number, composer), one.corner, rows[one.corner])
            rows[one.corner] += 1
        return picture

    def _words(self, one: Burn, number: int, composer: Composer) -> str:
        cut = self.sequence
        if one.kind == "record":
            return str(cut.timecode(number))
        if one.kind == "frame":
            return f"{number:06d}"
        if one.kind == "text":
            return one.words
        if one.kind == "made":
            return self.made
        for layer in reversed(layers_at(composer.evaluator, cut, number)):
            media = layer.media
            if media is not None and layer.opacity > 0:
                code = media.timecode(layer.source_frame or 0, cut.drop_frame) if not media.still else None
                return f"{media.file_name} {code}" if code is not None else media.file_name
        return ""


_GIVEN_BACK = 250
"""After so many frames memory that is free is given back."""
_GUESS = {Codec.H264: 0.05, Codec.PRORES: 0.4}
"""Bytes a pixel, about."""


def reference_parts(reference: Reference) -> list[Part]:
    """The movie, and a paper on what in it is not as it will be there; none where nothing is wanted or the
    cut has no length."""
    cut, (wide, tall) = reference.sequence, reference.size
    if reference.codec is Codec.NONE or not cut.duration:
        return []
    name = safe_name(cut.name)
    guess = 65536 + round(wide * tall * cut.duration * _GUESS[reference.codec])
    if any(track.items for track in cut.audio_tracks):
        guess += floor(cut.rate.seconds(cut.duration) * (cut.sample_rate or RATE)) * 6
    return [
        Part(
            f"{FOLDER}/{name} reference.mov",
            "reference picture",
            b"",
            reference.write,
            guess,
            kind=PartKind.REFERENCE,
            memo=reference,
        ),
        Part(
            f"{FOLDER}/{name} not as it is.txt",
            "what the reference shows otherwise",
            b"",
            _paper(reference),
            1024,
            kind=PartKind.REFERENCE,
        ),
    ]


def _paper(reference: Reference) -> Callable[[Path, Progress], None]:
    """A list of what is shown otherwise, which is known when the movie is made."""

    def make(path: Path, _progress: Progress) -> None:
        cut = reference.sequence
        lines = [
            f"{cut.timecode(frames[0])}  {words} ({len(frames)} frames)"
            for words, frames in sorted(reference.said.items(), key=lambda one: one[1][0])
        ]
        try:
            path.write_text("\n".join(lines or ["Everything is drawn as it is."]) + "\n", encoding="utf-8")
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {reason(error)}") from None

    return make
