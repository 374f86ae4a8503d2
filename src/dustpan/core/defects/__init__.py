"""Defects of sensors and files: found first, with proof, and repaired only where they were proven."""
