"""Where compiled kernels are kept: in a folder of every version of the code, or as they were shipped with it."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import platform
import shutil
import sys
import tempfile
import time
from pathlib import Path

from dustpan.core.paths import cache_folder

READY = "all"  # the name of a file among the kernels that says that they are all there
ABOUT = "about.json"  # the same of what shipped kernels were compiled from, by what and for what
KEPT = 30  # days that compiled kernels of another version of the code are kept unused
CODE = Path(__file__).parent.parent
SHIPPED = CODE / "compiled"
LEVEL = "x86-64-v3"  # of processors that kernels are shipped for, and what that means
FEATURES = ("avx", "avx2", "bmi1", "bmi2", "f16c", "fma", "abm", "movbe")  # as Linux names them
TARGET = {"NUMBA_CPU_NAME": LEVEL, "NUMBA_CPU_FEATURES": "+avx,+avx2,+bmi,+bmi2,+f16c,+fma,+lzcnt,+movbe"}
LOCATOR = {"NUMBA_CACHE_LOCATOR_CLASSES": "dustpan.core.kernels.Locator"}


def prepare_kernel_cache() -> None:
    """Tell numba where to keep compiled kernels, and for which processor. Must run before numba is imported.

    Every version of the code has a folder of its own: kernels are built from functions of other files as well, and
    numba looks only at the kernel's own to see whether it has changed. Kernels that were shipped and fit are put there
    at the first start.
    """
    if "NUMBA_CACHE_DIR" in os.environ:
        return
    kernels, shipped = cache_folder() / "kernels", fits(SHIPPED)
    own = kernels / (code_version() + ("-shipped" if shipped else ""))
    try:
        if shipped and not (own / READY).is_file():
            _put(SHIPPED, own)
        own.mkdir(parents=True, exist_ok=True)
        os.utime(own)
        for other in kernels.iterdir():
            if time.time() - other.stat().st_mtime > KEPT * 86400:
                shutil.rmtree(other, ignore_errors=True)
    except OSError:
        pass  # another process tidies up, too
    os.environ |= {"NUMBA_CACHE_DIR": str(own)} | LOCATOR | (TARGET if shipped else {})


def kernels_ready() -> bool:
    """Whether every kernel of this version of the code was compiled here."""
    return (Path(os.environ.get("NUMBA_CACHE_DIR", "")) / READY).is_file()


def mark_kernels_ready() -> None:
    with contextlib.suppress(OSError):
        (Path(os.environ.get("NUMBA_CACHE_DIR", "")) / READY).touch()


def about() -> dict[str, str]:
    """What compiled kernels depend on, but for the processor."""
    from importlib.metadata import PackageNotFoundError, version  # slow to import

    try:
        compiler = version("numba")
    except PackageNotFoundError:
        compiler = ""
    return {"code": code_version(), "numba": compiler, "python": f"{sys.version_info[0]}.{sys.version_info[1]}"}


def fits(shipped: Path) -> bool:
    """Whether shipped kernels are those of this code, for this Python, compiler and processor."""
    try:
        said = json.loads((shipped / ABOUT).read_text())
    except (OSError, ValueError):
        return False
    return said == about() and runs_here()


def runs_here() -> bool:
    """Whether this processor has all that kernels are shipped for."""
    if platform.machine() != "x86_64":
        return False
    try:
        lines = Path("/proc/cpuinfo").read_text().split("\n")
    except OSError:
        return False
    flags = next((set(line.partition(":")[2].split()) for line in lines if line.startswith("flags")), set())
    return flags.issuperset(FEATURES)


def _put(shipped: Path, own: Path) -> None:
    """Copy shipped kernels to where they are looked for; whole, or not at all."""
    own.parent.mkdir(parents=True, exist_ok=True)
    fresh = Path(tempfile.mkdtemp(prefix="shipped-", dir=own.parent))
    try:
        shutil.copytree(shipped, fresh, dirs_exist_ok=True)
        (fresh / READY).touch()
        shutil.rmtree(own, ignore_errors=True)
        os.replace(fresh, own)
    finally:
        shutil.rmtree(fresh, ignore_errors=True)


def code_version(code: Path = CODE) -> str:
    """A name for the kernels in a folder of sources, which changes with every source that holds some."""
    digest = hashlib.blake2b(digest_size=8)
    for source in sorted(code.rglob("*.py")):
        text = source.read_bytes()
        if b"dustpan.core.kernels" in text or b"njit" in text:
            digest.update(text)
    return digest.hexdigest()
