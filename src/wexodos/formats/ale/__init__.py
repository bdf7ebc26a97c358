"""Tab-separated logs (``ale``): clips with their reels and timecodes. Read as media; written as pull
lists."""

from wexodos.formats.ale.log import Row, matches, read, refused, written
from wexodos.formats.protocol import Format

FORMAT = Format("ale", "Clip log (.ale)", ".ale", (), matches, read, refused)

__all__ = ["FORMAT", "Row", "read", "written"]
