"""A night of twelve exposures with known truth, taken once and written as FITS."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dustpan.core.frames.sequence import Sequence, look
from dustpan.core.frames.spool import Spool
from dustpan.core.frames.stack import Aligned
from dustpan.demo.exposures import Night, Taken, about, take
from dustpan.demo.frames import write_fits

NIGHT = Night()


def written(taken: Taken, night: Night, folder: Path) -> list[Path]:
    """The exposures as files."""
    paths = [folder / f"exposure-{n + 1:02d}.fits" for n in range(len(taken.counts))]
    for n, (path, counts) in enumerate(zip(paths, taken.counts, strict=True)):
        write_fits(path, counts, about(night, n))
    return paths


@pytest.fixture(scope="session")
def taken() -> Taken:
    return take(NIGHT)


@pytest.fixture(scope="session")
def paths(taken: Taken, tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    return written(taken, NIGHT, tmp_path_factory.mktemp("night"))


@pytest.fixture(scope="session")
def sequence(paths: list[Path]) -> Sequence:
    return look(paths)


@pytest.fixture(scope="session")
def exposures(sequence: Sequence, tmp_path_factory: pytest.TempPathFactory) -> Aligned:
    return Aligned(sequence, Spool(tmp_path_factory.mktemp("spool")))


def off(sequence: Sequence, taken: Taken, index: int) -> float:
    """How far stars of an exposure are from where its motion says, px."""
    h, w = NIGHT.size
    seen = taken.at[(taken.at > 5).all(1) & (taken.at[:, 0] < w - 5) & (taken.at[:, 1] < h - 5)]
    here = taken.motions[sequence.reference].of(seen)
    motion = sequence.frames[index].motion
    assert motion is not None
    return float(np.sqrt(np.square(motion.of(here) - taken.motions[index].of(seen)).sum(1).mean()))
