"""Files that backups go out to and are opened from, a module for each format."""
