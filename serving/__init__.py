"""Runs Keep Sort on one machine: its database, its worker and the application, kept up."""
