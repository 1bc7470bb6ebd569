"""The shapes of what the API takes and gives; the browser's types are made from them."""
