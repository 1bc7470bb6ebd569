"""Galleries: the items of the exhibit controller, its last weeks, and what went wrong today."""

from collections.abc import Callable

from demo.servers.exhibits import ExhibitController

_GALLERIES = ["Reef", "Kelp forest", "Jellies", "Tide pools", "Penguins", "Deep sea"]
_MOODS = {
    "Morning": {"level": 70, "warmth": 6500, "blue": 40, "sound": -24, "wave": 8},
    "Day": {"level": 90, "warmth": 9000, "blue": 55, "sound": -20, "wave": 10},
    "Evening": {"level": 35, "warmth": 2700, "blue": 20, "sound": -28, "wave": 5},
    "Night": {"level": 4, "warmth": 2200, "blue": 8, "sound": -60, "wave": 2},
}
EVENING = "Reef Evening"


def load(c: ExhibitController) -> None:
    """Add everything as it was five weeks ago."""
    devices = {}
    for number, gallery in enumerate(_GALLERIES):
        lamp = f"{gallery} lamps"
        devices[gallery] = c.add(
            "device", lamp, address=f"192.0.2.{100 + number}", inputs=["level", "warmth", "blue"],
            outputs=["running hours"], password=f"lamps-{number}",
        )  # fmt: skip
    speaker = c.add(
        "device", "Gallery speakers", address="192.0.2.120", inputs=["announcement", "sound"],
        outputs=[], password="speakers",
    )  # fmt: skip
    presets = {}
    for gallery in _GALLERIES:
        folder = c.add("folder", f"{gallery} presets")
        for mood, values in _MOODS.items():
            zones = {"back": values["level"], "front": values["level"] // 2, "floor": 10}
            presets[gallery, mood] = c.add(
                "preset",
                f"{gallery} {mood}",
                folder,
                **values,
                mist=0,
                zones=zones,
                fade_seconds=40,
            )
    macros = c.add("folder", "Macros")
    feeding = c.add(
        "macro", "Turtle feeding", macros,
        steps=[
            {"do": "recall", "recall": presets["Reef", "Day"]},
            {"do": "drive", "drive": speaker, "announcement": "turtle feeding in five minutes"},
            {"do": "wait", "seconds": 300},
            {"do": "drive", "drive": devices["Reef"], "level": 100},
        ],
    )  # fmt: skip
    dimmed = c.add(
        "macro", "Dim for the film", macros,
        steps=[{"do": "recall", "recall": presets["Reef", "Night"]}, {"do": "wait", "seconds": 600}],
    )  # fmt: skip
    c.add(
        "macro", "Penguin parade", macros, loop=False,
        steps=[
            {"do": "drive", "drive": speaker, "announcement": "the parade begins"},
            {"do": "recall", "recall": presets["Penguins", "Day"]},
        ],
    )  # fmt: skip
    c.add("macro", "Self test", locked=True, steps=[{"do": "wait", "seconds": 3}])
    c.add(
        "workflow", "Opening", enabled=True,
        stages=[
            *({"at": "08:30", "recall": presets[g, "Morning"]} for g in _GALLERIES),
            {"at": "08:45", "drive": speaker, "announcement": "doors open at nine"},
            {"at": "09:00", "recall": presets["Reef", "Day"]},
            {"at": "11:00", "call": feeding},
        ],
    )  # fmt: skip
    c.add(
        "workflow", "Closing", enabled=True,
        stages=[
            {"at": "17:30", "drive": speaker, "announcement": "we close in half an hour"},
            *({"at": "18:00", "recall": presets[g, "Night"]} for g in _GALLERIES),
        ],
    )  # fmt: skip
    show = c.add("show", "Winter show", note="until the end of February")
    c.add("preset", "Polar night", show, level=12, warmth=12000, blue=80, zones={"back": 12})
    c.add("macro", "Northern lights", show, steps=[{"do": "call", "call": dimmed}], loop=True)


Change = Callable[[ExhibitController], None]


def _nothing(c: ExhibitController) -> None:
    """Change nothing."""


def _warmer(c: ExhibitController) -> None:
    for gallery in _GALLERIES[:4]:
        c.change(f"{gallery} Evening", warmth=2600)


def _show_note(c: ExhibitController) -> None:
    c.change("Winter show", note="until the middle of March")


def history() -> list[tuple[float, str, Change, bool]]:
    """Return the backups of the last weeks: days ago, note, change before it, pinned."""
    return [
        (32, "first backup", _nothing, False),
        (19, "lights set for winter", _warmer, True),
        (8, "", _show_note, False),
        (0.33, "nightly", _nothing, False),
    ]


def trouble(c: ExhibitController) -> None:
    """Do what went wrong after the last backup."""
    c.change(EVENING, level=100, warmth=9000, blue=0, sound=-6, zones={"back": 100, "front": 100})
    c.delete("Turtle feeding")
    stages = c.items()["Opening"]["body"]["stages"]
    c.change("Opening", stages=[stages[7], *stages[:3], stages[6], *stages[3:6], *stages[8:]])
    c.change("Dim for the film", to="Film dimmer")
