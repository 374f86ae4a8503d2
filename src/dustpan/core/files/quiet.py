"""What C libraries print on descriptor 2 does not reach the person: it is caught and goes to the log."""

from __future__ import annotations

import logging
import os
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager

log = logging.getLogger(__name__)
STDERR = 2
MOST_LOGGED = 2000  # characters
_lock = threading.Lock()


@contextmanager
def quiet() -> Iterator[None]:
    """While this runs, what is written to descriptor 2 is kept back; one at a time, as the descriptor is shared."""
    with _lock:
        sys.stderr.flush() if sys.stderr else None
        try:
            kept = os.dup(STDERR)
        except OSError:  # there is none
            yield
            return
        with tempfile.TemporaryFile() as caught:
            os.dup2(caught.fileno(), STDERR)
            try:
                yield
            finally:
                os.dup2(kept, STDERR)
                os.close(kept)
                caught.seek(0)
                if said := caught.read(MOST_LOGGED).decode("utf-8", "replace").strip():
                    log.info("a library said: %s", said)
