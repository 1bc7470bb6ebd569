"""When backups are made by themselves."""
