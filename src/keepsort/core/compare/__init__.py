"""What differs between two trees, down to the word."""

from keepsort.core.compare.comparing import Accepted, compare
from keepsort.core.compare.comparison import (
    LIKENESS,
    Comparison,
    Consequence,
    Difference,
    State,
    Suggestion,
)
from keepsort.core.compare.filters import Filter, filtered, match_names
from keepsort.core.compare.in_common import CommonChange, common_changes
from keepsort.core.compare.rules import Rules
from keepsort.core.compare.values import AttributeDifference, compare_attributes

__all__ = [
    "LIKENESS",
    "Accepted",
    "AttributeDifference",
    "CommonChange",
    "Comparison",
    "Consequence",
    "Difference",
    "Filter",
    "Rules",
    "State",
    "Suggestion",
    "common_changes",
    "compare",
    "compare_attributes",
    "filtered",
    "match_names",
]
