"""Which backups stay, which go, and what that frees."""
