"""What a controller's own description of its items means here."""

from typing import Any

from keepsort.core.model import AttributeSpec, Kind, NameRule, Schema

#: Fields of steps and stages that name other items.
NAMES = ("call", "recall", "drive")
_LABELS = {
    "macro": ("macro", "list"), "preset": ("preset", "sliders"), "workflow": ("workflow", "route"),
    "device": ("device", "plug"), "folder": ("folder", "folder"), "show": ("show file", "film"),
}  # fmt: skip

Fields = dict[str, dict[str, dict[str, Any]]]


def read_schema(fields: Fields) -> Schema:
    """Return the schema of a controller, from its own description."""
    kinds = {"controller": Kind("controller", "controller", icon="box", renamable=False)}
    for name, known in fields.items():
        label, icon = _LABELS.get(name, (name, "box"))
        attributes = {field: _spec(about) for field, about in known.items()}
        kinds[name] = Kind(name, label, icon=icon, attributes=attributes)
    return Schema(kinds=kinds, names=NameRule())


def _spec(about: dict[str, Any]) -> AttributeSpec:
    common: dict[str, Any] = {
        "label": about.get("label", ""), "unit": about.get("unit", ""),
        "formerly": tuple(about.get("formerly", ())),
    }  # fmt: skip
    match about.get("type"):
        case "number":
            return AttributeSpec(number=True, **common)
        case "map":
            return AttributeSpec(shape="map", **common)
        case "steps":
            return AttributeSpec(shape="sequence", reference_in=NAMES, **common)
        case "order":
            return AttributeSpec(shape="sequence", orders=True, **common)
        case "names":
            return AttributeSpec(shape="sequence", **common)
        case "secret":
            return AttributeSpec(secret=True, **common)
    return AttributeSpec(**common)
