"""What happens, told to browsers as it happens."""
