"""Figures as ratios, each measured against its reference in one and the same run."""
