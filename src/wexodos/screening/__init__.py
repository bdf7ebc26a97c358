"""Movies looked at frame by frame: where their scenes change, where they lie in a cut, and what in them is
not as the cut has it. No Qt."""
