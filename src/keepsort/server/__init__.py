"""The server: records, accounts, jobs and the API that joins core, store and connectors."""
