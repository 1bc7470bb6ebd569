"""One live protocol each, translated to the model and back."""
