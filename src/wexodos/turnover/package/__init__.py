"""A package: everything the next room needs in one folder or zip, with a list of its sums."""
