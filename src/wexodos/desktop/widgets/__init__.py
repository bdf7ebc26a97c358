"""Parts of the window that several stops share."""
