"""What differs between two trees, down to the word."""

from keepsort.core.compare.comparison import Comparison, Consequence, Difference, State
from keepsort.core.compare.rules import Rules
from keepsort.core.compare.values import AttributeDifference, compare_attributes
from keepsort.core.compare.walk import compare

__all__ = [
    "AttributeDifference",
    "Comparison",
    "Consequence",
    "Difference",
    "Rules",
    "State",
    "compare",
    "compare_attributes",
]
