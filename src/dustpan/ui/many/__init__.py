"""Recipes and batches: what was found on one picture, done to many."""
