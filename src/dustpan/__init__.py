"""Dustpan: noise out, detail kept.

``dustpan.core`` computes and knows nothing of windows; ``dustpan.ui`` shows; ``dustpan.cli`` is a second front.
"""

import os

# A picture is computed in parts on our own threads; libraries that start threads of their own only get in the way.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OPENCV_FOR_THREADS_NUM", "1")

__version__ = "0.1.0"
