"""What the instrument in the tray shows of the picture, as far as it was found in the background. No Qt here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dustpan.core.jobs.events import LightSeen, ProfileSeen, SampleSeen
from dustpan.core.open.document import Document
from dustpan.core.open.profile import Profile


class Charting:
    """Of one picture: its sample, its light, the profile across an edge; empty while they are looked for."""

    def __init__(self, document: Document | None = None) -> None:
        self.document = document
        self.sample: NDArray[np.float32] = np.zeros((0, 0, 1), np.float32)
        self.light: Sequence[NDArray[np.float32]] = ()
        self.floor = 0.0
        self.profile = Profile()
        self._asked: dict[str, object] = {}

    def asks(self, name: str, key: object) -> bool:
        """Whether something has to be asked for: it was not yet, or for something else."""
        if name in self._asked and self._asked[name] == key:
            return False
        self._asked[name] = key
        return True

    def take(self, event: SampleSeen | LightSeen | ProfileSeen) -> bool:
        """Keep what was found; False for what belongs to another picture."""
        if event.document is not self.document:
            return False
        match event:
            case SampleSeen():
                self.sample = event.sample
            case LightSeen():
                self.light, self.floor = event.light, event.floor
            case ProfileSeen():
                self.profile = event.profile
        return True
