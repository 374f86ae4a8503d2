"""Looks: special views that never change the picture."""
