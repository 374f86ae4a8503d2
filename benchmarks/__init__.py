"""Benchmarks: each module prints its table and, with ``--write``, puts it into docs/benchmarks.md."""

import dustpan  # noqa: F401  (before NumPy, as in the application: it says how many threads the matrix library has)
