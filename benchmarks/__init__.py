"""Benchmarks: each module prints its table and, with ``--write``, puts it into docs/benchmarks.md."""
