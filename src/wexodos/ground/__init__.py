"""What everything else stands on: one family of errors, files that are there whole or not at all, work that
can be stopped. Knows nothing of cuts."""

from wexodos.ground import remains
from wexodos.ground.delivery import Delivery
from wexodos.ground.errors import Cancelled, UnprovedError, WexodosError
from wexodos.ground.files import is_plain, read_text, read_whole, refuse_special, write_file
from wexodos.ground.progress import Progress, quiet
from wexodos.ground.together import processors, together

__all__ = [
    "Cancelled",
    "Delivery",
    "Progress",
    "UnprovedError",
    "WexodosError",
    "is_plain",
    "processors",
    "quiet",
    "read_text",
    "read_whole",
    "refuse_special",
    "remains",
    "together",
    "write_file",
]
