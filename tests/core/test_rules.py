"""Rules of the house that hold for the whole tree."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

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
