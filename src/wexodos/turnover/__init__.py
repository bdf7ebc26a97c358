"""Packages: what leaves the house for the other side."""

from wexodos.turnover.write import Part, Written, free_space, write_package

__all__ = ["Part", "Written", "free_space", "write_package"]
