"""The engine: model, snapshots, compare and plans. No Django, no network, no files."""
