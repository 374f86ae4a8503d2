"""Rendering a sweep: layers, tiles, facts and what is kept."""
