"""The `keepsort` command."""
