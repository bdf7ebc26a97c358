"""Media cut down to what is used of them, as they are: nothing is coded anew."""
