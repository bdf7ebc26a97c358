"""The media of the scenario: names, reels, timecodes, sizes."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Source:
    """One file. ``frames`` at ``rate`` (numerator, denominator); ``start`` counts frames from timecode
    zero."""

    id: str
    file: str
    reel: str
    frames: int
    start: int
    rate: tuple[int, int] = (25, 1)
    width: int = 640
    height: int = 360
    channels: int = 0
    hue: float = 0.0
    shape: str = "disc"
    voice: str = ""

    @property
    def video(self) -> bool:
        return self.width > 0

    @property
    def depth(self) -> int:
        """Bits of a sample: speech is recorded at 24."""
        return 24 if self.voice in ("low", "high") else 16

    @property
    def still(self) -> bool:
        return self.file.endswith(".png")


HOUR = 90_000


def _picture(
    name: str, start_hours: int, minutes: int, hue: float, shape: str, channels: int = 0, **more: object
) -> Source:
    return Source(
        f"file-{name.lower()}",
        f"{name}.mov",
        name[:4],
        600,
        start_hours * HOUR + minutes * 1500,
        hue=hue,
        shape=shape,
        channels=channels,
        **more,  # type: ignore[arg-type]
    )


PICTURES: dict[str, Source] = {
    "Night sky": _picture("A001C003", 9, 10, 0.62, "stars"),
    "Throwing wide": _picture("A003C012", 10, 0, 0.07, "disc", 2),
    "Hands, centring": _picture("A003C015", 10, 4, 0.16, "rings"),
    "Clay pit": _picture("A004C002", 11, 30, 0.10, "stripes", 2),
    "Shelf load": _picture("A005C001", 13, 2, 0.33, "bars"),
    "Ash glaze": _picture("A006C004", 14, 15, 0.45, "rings"),
    "Cone 9 drop": _picture("A007C003", 14, 22, 0.02, "cone"),
    "Stoke hole": _picture("A008C002", 20, 41, 0.04, "flame", 2),
    "Door brick": _picture("B001C004", 11, 20, 0.0, "bricks", 2),
    "Ember macro": _picture("B002C001", 21, 5, 0.96, "rings"),
    "Quill, wide": _picture("B003C007", 16, 0, 0.75, "disc"),
    "Quill, close": _picture("C003C007", 16, 0, 0.82, "face"),
}
OTHERS: dict[str, Source] = {
    "Neighbour's phone": Source(
        "file-d001", "D001C001.mov", "D001", 720, 0, (30000, 1001), hue=0.55, shape="bars"
    ),
    "Old kiln book": Source(
        "file-e001", "E001C002.mov", "E001", 500, 12 * HOUR, width=480, height=360, hue=0.12, shape="stripes"
    ),
    "Glaze chart": Source("file-chart", "glaze-chart.png", "", 1, 0, hue=0.4),
    "Kiln map": Source("file-map", "kiln-map.png", "", 1, 0, hue=0.5),
}
SOUNDS: dict[str, Source] = {
    "Narration": Source("file-vo", "VO_04.wav", "", 1000, 0, width=0, channels=1, voice="low"),
    "Ada Quill": Source("file-quill", "QUILL_01.wav", "", 1000, 16 * HOUR, width=0, channels=1, voice="high"),
    "Kiln roar": Source("file-roar", "FX_roar.wav", "", 600, 0, width=0, channels=1, voice="roar"),
    "Door clang": Source("file-clang", "FX_clang.wav", "", 200, 0, width=0, channels=1, voice="clang"),
    "Night yard": Source("file-yard", "AMB_yard.wav", "", 1000, 0, width=0, channels=1, voice="wind"),
    "Slow bells": Source("file-music", "MX_slow-bells.wav", "", 1100, 0, width=0, channels=2, voice="bells"),
}
ALL: dict[str, Source] = {**PICTURES, **OTHERS, **SOUNDS}
