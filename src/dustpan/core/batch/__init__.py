"""Batches: what was found on one picture, done to many, unattended, and to be trusted afterwards."""
