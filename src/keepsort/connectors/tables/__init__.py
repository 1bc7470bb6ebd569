"""Records in tables: databases of PostgreSQL."""

from keepsort.connectors import options
from keepsort.connectors.base import OptionField
from keepsort.connectors.registry import ConnectorType
from keepsort.connectors.tables.connector import open_tables

TABLES = ConnectorType(
    name="tables",
    label="tables (PostgreSQL)",
    address_help="postgresql://host:port/database",
    options=(
        OptionField(
            name="schemas", label="Schemas", help="With commas between; all of them where empty.",
        ),
        OptionField(
            name="take", label="Only these tables",
            help="With commas between; all of them where empty.",
        ),
        OptionField(name="leave", label="Tables left out", help="With commas between."),
        OptionField(
            name="beneath", label="What rows hang on",
            help="As table=column, with commas between: the column that names the row above; "
            "nothing after the = for none. Found where it is not said.",
        ),
        OptionField(
            name="names", label="What rows are called by",
            help="As table=column, with commas between. Found where it is not said.",
        ),
        OptionField(
            name="facts", label="Columns that only tell",
            help="Columns that the database sets by itself, as table.column with commas between.",
        ),
        OptionField(
            name="secrets", label="Secret columns", help="As table.column, with commas between.",
        ),
        OptionField(
            name="formerly", label="Former names",
            help="As table.column=name, with commas between: what a column was called in "
            "older backups.",
        ),
        OptionField(
            name="triggers", label="Triggers in a run", choices=("on", "off"), default="on",
            help="Whether triggers fire while rows are written.", per_restore=True,
        ),
        OptionField(
            name="try", label="Try at preview", choices=("no", "yes"), default="no",
            help="Whether a plan is carried out and taken back at once, to see what the database "
            "says. Triggers fire in it.", per_restore=True,
        ),
        OptionField(
            name="tls", label="TLS", choices=("if offered", "always", "verified"),
            default="if offered", help="Verified where a CA certificate file is given.",
        ),
        options.CA_FILE,
    ),
    open=open_tables,
)  # fmt: skip
