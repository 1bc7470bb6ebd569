"""What wants attention, and what somebody has put aside."""
