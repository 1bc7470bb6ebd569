"""The names of the formats, for who only has to know these."""

#: Formats that are written, and those that are told apart when a file is opened.
FORMATS = (
    "archive", "text", "json", "yaml", "toml", "ini", "ldif", "csv", "csv-objects", "xlsx",
    "xlsx-objects",
)  # fmt: skip
READ = ("archive", "text", "json", "yaml", "toml", "ini", "ldif", "csv", "xlsx")
