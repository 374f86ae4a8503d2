"""Dialogs and popups."""
