"""Simulated devices, shipped so that their connectors can be tried and tested without one."""
