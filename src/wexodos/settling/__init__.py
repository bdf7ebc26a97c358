"""What settling a cut for a receiver works with: the receiver, the cut at work, and the book of changes.

A format's own settling steps stand beside its writer and use this; carry-over runs them among its own.
"""
