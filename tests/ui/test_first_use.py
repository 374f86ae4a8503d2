from __future__ import annotations

import subprocess
import sys

import pytest

pytestmark = pytest.mark.slow


def test_after_a_warm_up_no_kernel_is_compiled_while_somebody_waits() -> None:
    """In a process of its own, for kernels stay ready once they were used."""
    found = subprocess.run(
        [sys.executable, "-X", "faulthandler", "-m", "tests.ui.first_use"],
        capture_output=True,
        text=True,
        timeout=600,
        check=False,
    )
    assert (found.returncode, found.stdout) == (0, ""), found.stderr
