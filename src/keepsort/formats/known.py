"""The formats there are."""

import msgspec

from keepsort.formats import json_text, lines, toml_text, xml_text, yaml_text
from keepsort.formats.places import Reader, sound


class Format(msgspec.Struct, frozen=True):
    """One format.

    places: reads a text, without its byte order mark, as places; raises `NotParsed`.
    patterns: names of files (with slashes: whole paths) that are of this format, unless something
        else is said; the first that fits counts.
    """

    name: str
    label: str
    places: Reader
    patterns: tuple[str, ...]


FORMATS = {
    f.name: f
    for f in (
        Format("ini", "INI file", sound(lines.ini), ("*.ini", "*.cfg", "*.service", "*.timer")),
        Format(
            "ssh",
            "OpenSSH settings",
            sound(lines.ssh),
            ("sshd_config", "ssh_config", "*/sshd_config.d/*.conf", "*/ssh_config.d/*.conf"),
        ),
        Format("conf", "settings file", sound(lines.conf), ("*.conf",)),
        Format("yaml", "YAML file", sound(yaml_text.places), ("*.yaml", "*.yml")),
        Format("toml", "TOML file", sound(toml_text.places), ("*.toml",)),
        Format("json", "JSON file", sound(json_text.places), ("*.json",)),
        Format("xml", "XML file", sound(xml_text.places), ("*.xml",)),
    )
}
