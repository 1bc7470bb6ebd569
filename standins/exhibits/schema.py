"""What the controller's two software versions know of items."""

from typing import Any

Parameter = dict[str, Any]

#: Parameters of presets: unit, least and greatest value; without a unit, of another type.
_PRESET: dict[str, Parameter] = {
    "level": {"label": "Light level", "type": "number", "unit": "%", "min": 0, "max": 100},
    "warmth": {
        "label": "Colour temperature",
        "type": "number",
        "unit": "K",
        "min": 2200,
        "max": 12000,
    },
    "blue": {"label": "Blue channel", "type": "number", "unit": "%", "min": 0, "max": 100},
    "sound": {"label": "Sound level", "type": "number", "unit": "dB", "min": -80, "max": 6},
    "mist": {"label": "Mist", "type": "number", "unit": "%", "min": 0, "max": 40},
    "wave": {"label": "Wave machine", "type": "number", "unit": "1/min", "min": 0, "max": 24},
    "zones": {"label": "Zones", "type": "map"},
}

VERSIONS: dict[str, dict[str, dict[str, Parameter]]] = {
    "4.2": {
        "preset": {
            **_PRESET,
            "fade_seconds": {"label": "Fade", "type": "number", "unit": "s", "min": 0, "max": 600},
        },
        "macro": {
            "steps": {"label": "Steps", "type": "steps"},
            "loop": {"label": "Loop", "type": "flag"},
        },
        "workflow": {
            "stages": {"label": "Stages", "type": "steps"},
            "enabled": {"label": "Enabled", "type": "flag"},
        },
        "device": {
            "address": {"label": "Address", "type": "text", "restart": True},
            "inputs": {"label": "Inputs", "type": "names"},
            "outputs": {"label": "Outputs", "type": "names"},
            "password": {"label": "Password", "type": "secret"},
        },
        "folder": {"order": {"label": "Order", "type": "order"}},
        "show": {
            "order": {"label": "Order", "type": "order"},
            "note": {"label": "Note", "type": "text"},
        },
    }
}
VERSIONS["5.0"] = {kind: dict(fields) for kind, fields in VERSIONS["4.2"].items()}
_fade = VERSIONS["5.0"]["preset"].pop("fade_seconds")
VERSIONS["5.0"]["preset"]["fade"] = {**_fade, "formerly": ["fade_seconds"]}
del VERSIONS["5.0"]["macro"]["loop"]

#: Fields of steps and stages that name items by their ids.
NAMES = ("call", "recall", "drive")
CONTAINERS = ("folder", "show")
