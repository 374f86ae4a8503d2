"""Kernels: compiled once, for the types that they declare, and told when somebody has to wait for one."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.jobs.warm_up import FIRST, kernel_names
from dustpan.core.kernels import KERNELS, PARTS, PLANE, ROW, UNFORESEEN, Kernel, compile_kernel, on_compiling, seen

MOST_KERNELS, MOST_PARTS = 68, 102


def test_every_kernel_has_one_type_and_the_first_ones_come_first() -> None:
    names = kernel_names()
    assert len(names) == len(set(names)) == len(KERNELS)
    first = kernel_names(first=True)
    assert names[: len(first)] == first
    assert {name.rpartition(".")[0] for name in first} == set(FIRST)


def test_there_are_not_more_of_them_to_compile_than_there_were() -> None:
    kernel_names()
    assert 40 < len(KERNELS) <= MOST_KERNELS
    assert 70 < len(PARTS) <= MOST_PARTS


def scaled(values, by, out):
    for i in range(len(values)):
        out[i] = values[i] * by[i]


def test_what_may_not_be_written_to_is_taken_and_other_types_are_noticed() -> None:
    made = Kernel(scaled, (seen(ROW), ROW, ROW), {})
    values, by, out = np.arange(3, dtype=np.float32), np.full(3, 2, np.float32), np.zeros(3, np.float32)
    values.flags.writeable = False
    told: list[str] = []
    end = on_compiling(told.append)
    made(values, by, out)
    end()
    np.testing.assert_array_equal(out, [0, 2, 4])
    assert told in ([], [made.name, ""])  # it may be on the disk already
    before = len(UNFORESEEN)
    made(values.astype(float), by, out)  # works, and is told
    assert len(UNFORESEEN) == before + 1
    assert made.name in UNFORESEEN.pop()


def test_a_kernel_is_compiled_by_its_name() -> None:
    name = kernel_names(first=True)[0]
    compile_kernel(name)
    assert "compiled" in vars(KERNELS[name])
    with pytest.raises(KeyError):
        compile_kernel("nothing")
    assert PLANE.ndim == 2
