"""What everything else stands on: one family of errors, files that are there whole or not at all, work that
can be stopped. Knows nothing of cuts."""

from wexodos.ground.errors import Cancelled, UnprovedError, WexodosError
from wexodos.ground.files import write_file
from wexodos.ground.progress import Progress, quiet

__all__ = ["Cancelled", "Progress", "UnprovedError", "WexodosError", "quiet", "write_file"]
