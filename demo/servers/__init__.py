"""Real servers from Debian's packages, started on loopback for the demo and the tests."""
