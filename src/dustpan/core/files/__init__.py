"""Pictures from and to files: one module per format family behind `open_picture` and `save_picture`."""

from dustpan.core.files.registry import (
    FORMATS,
    ExportOptions,
    FileFormat,
    format_of,
    open_picture,
    save_picture,
)

__all__ = ["FORMATS", "ExportOptions", "FileFormat", "format_of", "open_picture", "save_picture"]
