"""Charts that are controls."""
