"""What no cut has: files beyond it are taken for damage, as working on them would take longer and longer."""

MOST_TRACKS = 1000
"""Tracks of pictures and of sound together."""
MOST_FILTERS, MOST_MARKERS = 500, 5000
"""Filters, and markers, of one clip."""
MOST_PIECES = 20_000
"""Elements that nobody knows on one thing."""
MOST_LINKED = 500
"""Clips that are linked to each other."""
