"""The shipped typefaces, used by the window and by reports; their licences stand beside them."""
