"""The bench: the main view."""
