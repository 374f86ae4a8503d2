"""Widgets for parameters, by their type."""
