"""Compare and pick: the comparison of two records, a level or an object at a time."""
