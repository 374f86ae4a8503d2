"""Recipes: sweeps without their picture, to be used on others."""
