"""Computation: pictures in, pictures and figures out. Imports no interface code."""
