"""Picture files as they lie on a disk: movies, single pictures and numbered sequences of them, opened and
read frame by frame. No Qt."""
