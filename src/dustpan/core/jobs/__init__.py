"""Whole jobs that front ends share."""
