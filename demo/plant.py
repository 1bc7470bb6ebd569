"""Plant: the key tree of the building and its water, its last weeks, and what went wrong today."""

import json
import random

AREAS = [
    "lagoon", "kelp-forest", "quarantine", "touch-pool", "seal-rescue", "turtle-rescue", "jellies",
    "coral-reef", "tide-pools", "sharks", "penguins", "hatchery",
]  # fmt: skip
_UNITS = {
    "chiller": 1, "pump": 3, "filter": 2, "uv": 1, "skimmer": 1, "doser": 2, "heater": 1,
}  # fmt: skip
_SENSORS = {
    "temperature": ("°C", 6, 24), "ph": ("pH", 7.8, 8.4), "salinity": ("g/kg", 30, 36),
    "oxygen": ("mg/l", 6, 11), "orp": ("mV", 280, 380), "flow": ("m³/h", 4, 60),
}  # fmt: skip
PREFIX = "/plant/"

Keys = dict[str, str]


def _json(value: object) -> str:
    return json.dumps(value, ensure_ascii=False, sort_keys=True, separators=(",", ":"))


def plant() -> Keys:
    """Return all keys as they were five weeks ago."""
    rng = random.Random(11)
    keys: Keys = {
        "/plant/site": "Kelpmoor Aquarium",
        "/plant/alarms/call-out": _json(
            {"first": "plant duty", "after_minutes": 10, "then": "vets"}
        ),
        "/plant/alarms/mute": "false",
        "/plant/notes": "Seawater intake is cleaned on the first Monday.\nTide tables: tide-clock.\n",
    }
    for area in AREAS:
        base = f"/plant/{area}"
        keys[f"{base}/volume"] = str(rng.randrange(8, 900))
        keys[f"{base}/salt"] = "true"
        for unit, count in _UNITS.items():
            for number in range(1, count + 1):
                keys |= _unit(f"{base}/{unit}-{number}", unit, rng)
        for sensor, (mark, low, high) in _SENSORS.items():
            keys |= _sensor(f"{base}/sensors/{sensor}", mark, low, high, rng)
    return keys


def _unit(at: str, unit: str, rng: random.Random) -> Keys:
    keys = {
        f"{at}/enabled": "true",
        f"{at}/interlock": "true",
        f"{at}/service/hours": str(rng.randrange(200, 9000)),
        f"{at}/service/due": str(rng.choice([2000, 4000, 8000])),
    }
    if unit in ("pump", "skimmer", "doser"):
        start = rng.choice(["00:00", "05:30", "06:00"])
        keys[f"{at}/schedule"] = _json({"start": start, "stop": "22:00", "ramp_seconds": 30})
        keys[f"{at}/speed"] = str(rng.randrange(40, 95))
    if unit in ("chiller", "heater"):
        keys[f"{at}/setpoint"] = str(rng.choice([8.5, 11, 12.5, 18, 24]))
        keys[f"{at}/limits"] = _json({"high": 26, "low": 4.5, "unit": "°C"})
        keys[f"{at}/hysteresis"] = "0.50"
    return keys


def _sensor(at: str, mark: str, low: float, high: float, rng: random.Random) -> Keys:
    keys = {
        f"{at}/alarm": _json({"delay_seconds": 120, "high": high, "low": low, "unit": mark}),
        f"{at}/every": str(rng.choice([5, 10, 30])),
        f"{at}/calibration/date": f"2026-{rng.randrange(7, 11):02}-{rng.randrange(1, 29):02}",
        f"{at}/calibration/offset": f"{rng.uniform(-0.3, 0.3):.3f}",
        f"{at}/calibration/slope": f"{rng.uniform(0.97, 1.03):.4f}",
    }
    if mark == "pH":
        keys |= {f"{at}/calibration/buffers/{b}": f"{b}.0{rng.randrange(0, 9)}" for b in (4, 7, 10)}
    return keys


CHILLER = "/plant/quarantine/chiller-1"
#: Puts as keys and values, and keys to be taken away (all beneath where they end in a slash).
Changes = tuple[Keys, list[str]]


def history() -> list[tuple[float, str, Changes, bool]]:
    """Return the backups of the last weeks: days ago, note, changes before it, pinned."""
    winter = {f"/plant/{area}/heater-1/setpoint": "24.5" for area in AREAS[:5]}
    slower = {f"/plant/{area}/pump-2/speed": "55" for area in AREAS}
    recalibrated = {
        f"/plant/{area}/sensors/ph/calibration/offset": f"0.0{n}0"
        for n, area in enumerate(AREAS[:8], 1)
    }
    return [
        (34, "first backup", ({}, []), False),
        (27, "", (winter, []), False),
        (20, "probes calibrated", (recalibrated, []), True),
        (13, "", (slower, ["/plant/hatchery/doser-2/"]), False),
        (6, "", ({f"{CHILLER}/setpoint": "11.5"}, []), False),
        (0.36, "nightly", ({"/plant/jellies/uv-1/service/hours": "12"}, []), False),
    ]


def trouble() -> Changes:
    """Return what went wrong after the last backup."""
    puts = {
        f"{CHILLER}/interlock": "false",
        f"{CHILLER}/limits": _json({"high": 79, "low": 4.5, "unit": "°F"}),
        "/plant/quarantine/pump-1/schedule": _json(
            {"start": "09:00", "stop": "17:00", "ramp_seconds": 30}
        ),
        "/plant/test/joost/speed": "100",
    }
    return puts, ["/plant/turtle-rescue/sensors/ph/calibration/"]
