"""What comes back from the other rooms: recognised, measured, laid in."""
