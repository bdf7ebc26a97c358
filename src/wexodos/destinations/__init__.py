"""What receiving programs take: shipped descriptions and the user's own."""

from wexodos.destinations.load import (
    DestinationError,
    find_destination,
    keeper,
    load_all,
    load_file,
    user_folder,
)
from wexodos.settling.receiver import Destination

__all__ = [
    "Destination",
    "DestinationError",
    "find_destination",
    "keeper",
    "load_all",
    "load_file",
    "user_folder",
]
