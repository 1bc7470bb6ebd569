"""Keep Sort: look into configuration backups, and put back only what should go back."""

__version__ = "0.1.0"
