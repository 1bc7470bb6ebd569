"""The formats there are."""

import msgspec

from keepsort.formats import json_text, lines, toml_text, xml_text, yaml_text
from keepsort.formats.places import Reader, sound


class Format(msgspec.Struct, frozen=True):
    """One format.

    places: reads a text as places; raises `NotParsed`.
    patterns: names of files that are of this format, unless something else is said.
    """

    name: str
    label: str
    places: Reader
    patterns: tuple[str, ...]


FORMATS = {
    f.name: f
    for f in (
        Format("ini", "INI file", lines.ini, ("*.ini", "*.cfg", "*.service", "*.timer")),
        Format("conf", "settings file", lines.conf, ("*.conf", "sshd_config", "ssh_config")),
        Format("yaml", "YAML file", sound(yaml_text.places), ("*.yaml", "*.yml")),
        Format("toml", "TOML file", sound(toml_text.places), ("*.toml",)),
        Format("json", "JSON file", sound(json_text.places), ("*.json",)),
        Format("xml", "XML file", xml_text.places, ("*.xml",)),
    )
}
