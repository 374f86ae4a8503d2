"""Rules of the house that hold for the whole tree."""

from __future__ import annotations

import ast
import os
import re
import subprocess
import sys
import time
from functools import cache
from pathlib import Path

from dustpan.core.kernel_cache import KEPT, code_version

SOURCE = Path(__file__).resolve().parents[2] / "src" / "dustpan"


def run_python(code: str) -> subprocess.CompletedProcess:
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)


def test_core_and_command_line_import_without_qt() -> None:
    modules = [
        ".".join(p.relative_to(SOURCE.parent).with_suffix("").parts)
        for folder in ("core", "cli", "demo")
        for p in sorted((SOURCE / folder).rglob("*.py"))
    ]
    code = "import sys, importlib\nsys.modules['PyQt6'] = None\n" + "\n".join(
        f"importlib.import_module({m.removesuffix('.__init__')!r})" for m in modules
    )
    run = run_python(code)
    assert run.returncode == 0, run.stderr


QT_FREE = ("ui/bench/state.py", "ui/bench/charting.py")  # state, which widgets show and do not hold


def imports_of(path: Path, known: set[str]) -> set[str]:
    """The modules of Dustpan that a module imports, wherever in it, for typing as well."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {
                f"{node.module}.{a.name}" if f"{node.module}.{a.name}" in known else node.module for a in node.names
            }
    return found & known


@cache
def graph() -> dict[str, set[str]]:
    paths = {
        ".".join(p.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__"): p
        for p in SOURCE.rglob("*.py")
    }
    return {name: imports_of(path, set(paths)) - {name} for name, path in paths.items()}


def circle_in(arrows: dict[str, set[str]]) -> list[str]:
    """Modules that import each other in a circle, in order; empty when none do."""
    done: set[str] = set()

    def walk(name: str, way: list[str]) -> list[str]:
        if name in way:
            return [*way[way.index(name) :], name]
        if name in done:
            return []
        for other in sorted(arrows.get(name, ())):
            if found := walk(other, [*way, name]):
                return found
        done.add(name)
        return []

    return next((found for name in sorted(arrows) if (found := walk(name, []))), [])


def test_no_module_imports_itself_by_way_of_others() -> None:
    assert circle_in({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}) == ["a", "b", "c", "a"]
    arrows = graph()
    assert sum(map(len, arrows.values())) > 300
    assert circle_in(arrows) == []


def folder_of(module: str) -> str:
    """The folder of a half that a module stands in; a module that stands in none is a room of its own."""
    parts = module.split(".")
    return ".".join(parts[:3]) if len(parts) > 3 else module


def test_no_folder_imports_itself_by_way_of_others() -> None:
    arrows: dict[str, set[str]] = {}
    for name, imported in graph().items():
        here = arrows.setdefault(folder_of(name), set())
        here |= {folder_of(other) for other in imported} - {folder_of(name)}
    assert len(arrows["dustpan.core.render"]) > 5
    assert circle_in(arrows) == []


def test_only_front_ends_and_the_sweep_import_the_lists() -> None:
    lists = {"dustpan.core.steps", "dustpan.core.parts", "dustpan.core.looks.all"}
    allowed = ("dustpan.ui.", "dustpan.cli.", "dustpan.core.sweep", "dustpan.core.grammar", "dustpan.core.jobs.warm_up")
    for name, imported in graph().items():
        assert not imported & lists or name.startswith(allowed), name


def test_state_knows_no_qt() -> None:
    for name in QT_FREE:
        assert "PyQt6" not in (SOURCE / name).read_text("utf-8"), name


def test_the_core_knows_nothing_of_what_stands_on_it() -> None:
    for name, imported in graph().items():
        if name.startswith("dustpan.core"):
            assert not any(i.startswith(("dustpan.ui", "dustpan.cli", "dustpan.demo")) for i in imported), name
        if name.startswith("dustpan.cli") and name != "dustpan.cli.open":
            assert not any(i.startswith("dustpan.ui") for i in imported), name


def test_only_one_class_makes_labels_of_text() -> None:
    made = {
        path.relative_to(SOURCE).as_posix()
        for path in (SOURCE / "ui").rglob("*.py")
        if re.search(r"(?<!\w)QLabel\((?!self, Qt\.WindowType)", path.read_text("utf-8"))
    }
    assert made == set()


def test_a_blocked_qt_would_be_noticed() -> None:
    run = run_python("import sys\nsys.modules['PyQt6'] = None\nimport dustpan.ui.window")
    assert run.returncode != 0


def test_kernels_can_be_cached_where_nothing_else_can_be_written(tmp_path: Path) -> None:
    """A read-only home must not keep numba from importing."""
    code = (
        f"import os\nos.environ['DUSTPAN_CACHE'] = '/proc/nowhere'\nos.environ['TMPDIR'] = {str(tmp_path)!r}\n"
        "os.environ.pop('NUMBA_CACHE_DIR', None)\n"
        "from dustpan.core.kernel_cache import prepare_kernel_cache\nprepare_kernel_cache()\n"
        "print(os.environ['NUMBA_CACHE_DIR'])"
    )
    run = run_python(code)
    assert run.returncode == 0, run.stderr
    assert run.stdout.startswith(str(tmp_path))


def test_kernels_of_another_version_of_the_code_are_not_used(tmp_path: Path) -> None:
    """They are built from functions of several files."""
    code = (
        f"import os\nos.environ['DUSTPAN_CACHE'] = {str(tmp_path)!r}\nos.environ.pop('NUMBA_CACHE_DIR', None)\n"
        "from dustpan.core import kernel_cache\nif CHANGED: kernel_cache.code_version = lambda: 'changed'\n"
        "kernel_cache.prepare_kernel_cache()\nprint(os.environ['NUMBA_CACHE_DIR'])"
    )
    first, again, changed = (run_python(f"CHANGED = {c}\n{code}").stdout.strip() for c in (False, False, True))
    assert first == again != changed
    long_ago = time.time() - 86400 * (KEPT + 1)
    os.utime(changed, (long_ago, long_ago))
    run_python(f"CHANGED = False\n{code}")
    assert Path(first).exists()
    assert not Path(changed).exists()


def test_a_changed_kernel_is_another_version(tmp_path: Path) -> None:
    kernel, other = tmp_path / "sub" / "a.py", tmp_path / "b.py"
    kernel.parent.mkdir()
    names = []
    for k, o in (("njit # 1", "1"), ("njit # 1", "2"), ("njit # 2", "2")):
        kernel.write_text(k)
        other.write_text(o)
        names.append(code_version(tmp_path))
    assert names[0] == names[1] != names[2]
