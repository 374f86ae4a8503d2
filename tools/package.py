"""Build what is installed: a wheel with its kernels compiled, and a Debian package around it.

``python -m tools.package [FOLDER] [--wheel-only]``: the Debian package holds Python packages of its own below
/opt/dustpan; what these need is taken from the package registries.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
import tomllib
from collections.abc import Iterable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "src"))

from dustpan.core.kernel_cache import ABOUT, LEVEL, LOCATOR, READY, TARGET, about

HOME = Path("/opt/dustpan")
NEEDS = "python3 (>= 3.11), python3 (<< 3.12)"
START = """#!/bin/sh
PYTHONPATH={home}/lib exec /usr/bin/python3 -m dustpan "$@"
"""
CONTROL = """Package: dustpan
Version: {version}
Section: graphics
Priority: optional
Architecture: amd64
Depends: {needs}
Maintainer: The Dustpan developers <dustpan@localhost>
Description: {summary}
 Takes noise, hot pixels and compression damage out of pictures and sharpens
 selectively, measured and not guessed.
"""


def compiled(folder: Path, first: bool = False) -> None:
    """Fill a folder with all kernels, compiled for the processors that they are shipped for.

    ``first`` : only with those that a first picture needs, to try how they are shipped.
    """
    env = {**os.environ, "NUMBA_CACHE_DIR": str(folder), **LOCATOR, **TARGET, "PYTHONPATH": str(ROOT / "src")}
    run([sys.executable, "-m", "dustpan", "warm-up", "--no-pictures", *["--first"][: int(first)]], env=env)
    (folder / READY).unlink(missing_ok=True)
    for extra in folder.rglob("*.tmp.*"):
        extra.unlink()
    (folder / ABOUT).write_text(json.dumps(about()))


def wheel(out: Path, first: bool = False) -> Path:
    """Build the wheel from a copy of the sources, so that nothing is left in them."""
    with tempfile.TemporaryDirectory(prefix="dustpan-") as held:
        source = Path(held) / "source"
        ignored = shutil.ignore_patterns("__pycache__", "*.egg-info", "compiled")
        shutil.copytree(ROOT / "src", source / "src", ignore=ignored)
        for name in ("pyproject.toml", "README.md", "LICENSE"):
            shutil.copy(ROOT / name, source)
        compiled(source / "src" / "dustpan" / "compiled", first)
        command = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--no-build-isolation"]
        run([*command, "--wheel-dir", str(out), str(source)])
    return max(out.glob("dustpan-*.whl"), key=lambda path: path.stat().st_mtime)


def debian_package(wheel: Path, out: Path) -> Path:
    """Lay the wheel, what it needs and what the desktop looks for into a Debian package."""
    from dustpan.cli.install import system_files

    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    with tempfile.TemporaryDirectory(prefix="dustpan-") as held:
        root = Path(held) / "root"
        lib = root / HOME.relative_to("/") / "lib"
        install = [sys.executable, "-m", "pip", "install", "--quiet", "--target", str(lib), "--no-compile"]
        run([*install, "--constraint", str(ROOT / "requirements.lock"), str(wheel)])
        shutil.rmtree(lib / "bin", ignore_errors=True)
        files = {root / "usr" / "bin" / "dustpan": START.format(home=HOME)} | system_files(root)
        files[root / "DEBIAN" / "control"] = CONTROL.format(
            version=project["version"],
            needs=f"{NEEDS}, {', '.join(system_libraries())}",
            summary=project["description"],
        )
        for path, text in files.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)
        (root / "usr" / "bin" / "dustpan").chmod(0o755)
        target = out / f"dustpan_{project['version']}_amd64.deb"
        run(["dpkg-deb", "--root-owner-group", "-Zxz", "-z1", "--build", str(root), str(target)])
    return target


def system_libraries() -> Iterable[str]:
    """The Debian packages that Qt and the compiler need, as `./run` installs them, but for the virtual screen."""
    text = (ROOT / "run").read_text().partition('PACKAGES="')[2].partition('"')[0]
    return (name for name in text.split() if name not in ("python3-venv", "xvfb", "xauth"))


def run(command: list[str], env: dict[str, str] | None = None) -> None:
    subprocess.run(command, check=True, env=env, stdout=subprocess.DEVNULL)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", nargs="?", default="dist", type=Path)
    parser.add_argument("--wheel-only", action="store_true")
    options = parser.parse_args()
    out = options.folder.resolve()
    out.mkdir(parents=True, exist_ok=True)
    print(f"Compiling the kernels for {LEVEL} …", file=sys.stderr)
    made = wheel(out)
    print(made)
    if not options.wheel_only:
        print("Laying everything into a Debian package …", file=sys.stderr)
        print(debian_package(made, out))


if __name__ == "__main__":
    main()
