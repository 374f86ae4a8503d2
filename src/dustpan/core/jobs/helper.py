"""A process that compiles kernels and makes the demo pictures while the window stands, when nothing else is done."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from threading import Thread

from dustpan.core.language import say


class Helper:
    """Runs ``dustpan warm-up`` until it is through or stopped.

    Parameters
    ----------
    pictures : whether the demo pictures are made as well. made : gets the path of each as soon as it is there.
    over : is called at the end, with a sentence when it was not a good one. Both are called on a thread of their own.
    """

    def __init__(self, pictures: bool, made: Callable[[Path], None], over: Callable[[str], None]) -> None:
        self.pictures, self._made, self._over, self._stopped = pictures, made, over, False
        which = "--pictures" if pictures else "--no-pictures"
        self._process = subprocess.Popen(
            [sys.executable, "-m", "dustpan", "warm-up", "--gently", which],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            start_new_session=True,  # to be ended with those that it begins
        )
        self._reader = Thread(target=self._listen, name="helper", daemon=True)
        self._reader.start()

    def _listen(self) -> None:
        assert self._process.stdout is not None  # pipes, both
        assert self._process.stderr is not None
        errors: list[bytes] = []
        listener = Thread(target=lambda: errors.extend(self._process.stderr or ()), daemon=True)
        listener.start()
        for line in self._process.stdout:
            if not self._stopped:
                self._made(Path(os.fsdecode(line.rstrip(b"\n"))))
        listener.join()
        code = self._process.wait()
        self._process.stdout.close()
        self._process.stderr.close()
        if not self._stopped:
            why = errors[-1].decode("utf-8", "replace").strip() if errors else ""
            self._over(say("The demo pictures could not be made: {0}", why) if code and self.pictures else "")

    @property
    def running(self) -> bool:
        return self._process.poll() is None

    def stop(self) -> None:
        """End it, and everything that it began."""
        self._stopped = True
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self._process.pid, signal.SIGTERM)
        self._process.wait()
        self._reader.join()
