"""Rules of the house that hold for the whole tree."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

from dustpan.core.paths import KERNELS_KEPT, _version_of

SOURCE = Path(__file__).resolve().parents[2] / "src" / "dustpan"


def run_python(code: str) -> subprocess.CompletedProcess:
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)


def test_core_and_command_line_import_without_qt() -> None:
    modules = [
        ".".join(p.relative_to(SOURCE.parent).with_suffix("").parts)
        for p in [*sorted((SOURCE / "core").rglob("*.py")), SOURCE / "cli.py"]
    ]
    code = "import sys, importlib\nsys.modules['PyQt6'] = None\n" + "\n".join(
        f"importlib.import_module({m.removesuffix('.__init__')!r})" for m in modules
    )
    run = run_python(code)
    assert run.returncode == 0, run.stderr


def test_a_blocked_qt_would_be_noticed() -> None:
    run = run_python("import sys\nsys.modules['PyQt6'] = None\nimport dustpan.ui.window")
    assert run.returncode != 0


def test_kernels_can_be_cached_where_nothing_else_can_be_written(tmp_path: Path) -> None:
    """A read-only home must not keep numba from importing."""
    code = (
        f"import os\nos.environ['DUSTPAN_CACHE'] = '/proc/nowhere'\nos.environ['TMPDIR'] = {str(tmp_path)!r}\n"
        "os.environ.pop('NUMBA_CACHE_DIR', None)\n"
        "from dustpan.core.paths import prepare_kernel_cache\nprepare_kernel_cache()\n"
        "print(os.environ['NUMBA_CACHE_DIR'])"
    )
    run = run_python(code)
    assert run.returncode == 0, run.stderr
    assert run.stdout.startswith(str(tmp_path))


def test_kernels_of_another_version_of_the_code_are_not_used(tmp_path: Path) -> None:
    """They are built from functions of several files."""
    code = (
        f"import os\nos.environ['DUSTPAN_CACHE'] = {str(tmp_path)!r}\nos.environ.pop('NUMBA_CACHE_DIR', None)\n"
        "from dustpan.core import paths\nif CHANGED: paths._version_of = lambda code: 'changed'\n"
        "paths.prepare_kernel_cache()\nprint(os.environ['NUMBA_CACHE_DIR'])"
    )
    first, again, changed = (run_python(f"CHANGED = {c}\n{code}").stdout.strip() for c in (False, False, True))
    assert first == again != changed
    long_ago = time.time() - 86400 * (KERNELS_KEPT + 1)
    os.utime(changed, (long_ago, long_ago))
    run_python(f"CHANGED = False\n{code}")
    assert Path(first).exists()
    assert not Path(changed).exists()


def test_a_changed_kernel_is_another_version(tmp_path: Path) -> None:
    kernel, other = tmp_path / "sub" / "a.py", tmp_path / "b.py"
    kernel.parent.mkdir()
    names = []
    for k, o in (("@njit # 1", "1"), ("@njit # 1", "2"), ("@njit # 2", "2")):
        kernel.write_text(k)
        other.write_text(o)
        names.append(_version_of(tmp_path))
    assert names[0] == names[1] != names[2]
