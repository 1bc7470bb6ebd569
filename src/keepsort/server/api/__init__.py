"""The API under /api/: thin views over the services."""
