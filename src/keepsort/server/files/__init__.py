"""Files that go out, and that are opened: what they hold stands beside live systems."""
