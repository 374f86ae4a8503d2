"""Dustpan: noise out, detail kept.

``dustpan.core`` computes and knows nothing of windows; ``dustpan.ui`` shows; ``dustpan.cli`` is a second front.
"""

import os

# One picture is computed by many tiles on our own threads; a BLAS that starts threads of its own only gets in the way.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
