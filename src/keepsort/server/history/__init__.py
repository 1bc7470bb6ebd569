"""What every object was in every backup: its history, and the search over all of it."""
