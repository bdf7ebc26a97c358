"""Mobs, slots and segments: the object model that OMF 2 began and AAF took over.

Both readers turn their files into the tree of ``tree``; ``reading`` makes the model of it. ``writing`` makes
the tree of a model; both writers spell it. So what a transition over a filler means, or which two mono tracks
are one pair, is said once.
"""
