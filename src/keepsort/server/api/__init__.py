"""The API under /api/v1/: thin views over the services."""
