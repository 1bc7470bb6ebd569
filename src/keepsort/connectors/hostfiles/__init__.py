"""Config files on a host, over SFTP or on this machine."""

from keepsort.connectors.base import OptionField
from keepsort.connectors.hostfiles.composing import COMPOSER
from keepsort.connectors.hostfiles.connector import open_hostfiles
from keepsort.connectors.hostfiles.secrets import DEFAULT
from keepsort.connectors.registry import ConnectorType

HOSTFILES = ConnectorType(
    name="hostfiles",
    label="config files",
    address_help="sftp://user@host:port, or file:/// for this machine; a path at its end is the "
    "folder that all others are named from",
    options=(
        OptionField(
            name="folders", label="Folders", required=True,
            help="Absolute paths with commas between; nothing outside of them is read or written.",
        ),
        OptionField(
            name="include", label="Only files like",
            help="Patterns with commas between, like *.conf; all where empty.",
        ),
        OptionField(
            name="exclude", label="Leave out",
            help="Patterns of names or whole paths with commas between, like *.bak or */cache.",
        ),
        OptionField(
            name="formats", label="Formats", lines=True,
            help="One a line: PATTERN = ini, conf, yaml, toml, json, xml or text. By the name's "
            "ending where nothing is said.",
        ),
        OptionField(
            name="secrets", label="Secret keys", default=DEFAULT,
            help="Keys whose values are masked: NAME or FORMAT:NAME with commas between, with *. "
            "A value that is a number, a path, or yes or no, is none.",
        ),
        OptionField(
            name="largest", label="Largest text", default="1048576",
            help="Bytes; of larger files only digest and size are kept.",
        ),
        OptionField(
            name="binaries", label="Files that are no text", choices=("digest", "contents"),
            default="digest",
            help="Keep only their digest and size, or their contents as well.",
        ),
        OptionField(
            name="commands", label="Commands", lines=True,
            help="One a line: PATTERN | command that checks the new file ({} stands for it) | "
            "command that applies it. Either may be empty. Nothing else is ever run.",
        ),
        OptionField(
            name="key_file", label="Key file",
            help="Private key to sign in with; the password, if given, opens it.",
        ),
        OptionField(
            name="host_key", label="Host key",
            help="Pinned at the first contact. Empty it to accept a new one at the next.",
        ),
    ),
    open=open_hostfiles,
    composer=COMPOSER,
)  # fmt: skip
