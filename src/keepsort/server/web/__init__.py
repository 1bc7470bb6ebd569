"""The screens: the built files and the one page that loads them."""
