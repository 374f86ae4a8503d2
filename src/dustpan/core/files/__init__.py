"""Pictures from and to files: one module per format family behind `open_picture` and `save_picture`."""

from dustpan.core.files.format import ExportOptions, FileFormat, Opening, opening_from_json
from dustpan.core.files.registry import (
    FORMATS,
    format_of,
    open_picture,
    save_picture,
    writable,
)

__all__ = [
    "FORMATS",
    "ExportOptions",
    "FileFormat",
    "Opening",
    "format_of",
    "open_picture",
    "opening_from_json",
    "save_picture",
    "writable",
]
