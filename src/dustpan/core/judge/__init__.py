"""Judging: probes, the verdict, its worst places, and what is suggested."""
