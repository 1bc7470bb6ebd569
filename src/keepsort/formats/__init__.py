"""Texts that hold sections and keys: opened as a tree, and edited without touching the rest."""

from keepsort.formats.editing import edited
from keepsort.formats.known import FORMATS, Format
from keepsort.formats.places import NotParsed, Place

__all__ = ["FORMATS", "Format", "NotParsed", "Place", "edited"]
