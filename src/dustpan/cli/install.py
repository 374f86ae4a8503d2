"""``dustpan install`` and ``dustpan uninstall``: for one user, into the folders that the desktop looks into."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from dustpan.cli.app import app, tell
from dustpan.cli.pages import completion, man_page
from dustpan.core.errors import FileProblem
from dustpan.core.files.atomic import write_atomically
from dustpan.core.jobs.plan import make_folder

DESKTOP = Path(__file__).resolve().parent.parent / "desktop"


def _home(variable: str, usual: str) -> Path:
    return Path(os.environ.get(variable) or Path.home() / usual)


def files() -> dict[Path, str]:
    """Every file that is written for a user, with its text."""
    data, config = _home("XDG_DATA_HOME", ".local/share"), _home("XDG_CONFIG_HOME", ".config")
    found = shared_files(data, launcher())
    return found | {
        data / "zsh" / "site-functions" / "_dustpan": completion("zsh"),
        config / "fish" / "completions" / "dustpan.fish": completion("fish"),
    }


def system_files(root: Path) -> dict[Path, str]:
    """Those that a package of the system has, below a folder that becomes its root."""
    data = root / "usr" / "share"
    return shared_files(data, Path("/usr/bin/dustpan")) | {
        data / "zsh" / "vendor-completions" / "_dustpan": completion("zsh"),
        data / "fish" / "vendor_completions.d" / "dustpan.fish": completion("fish"),
    }


def shared_files(data: Path, program: Path) -> dict[Path, str]:
    """Desktop entry, icon, file types, man page and completions, below a folder of data."""
    entry = (
        (DESKTOP / "dustpan.desktop")
        .read_text()
        .replace("@EXEC@", f'"{program}"' if " " in str(program) else str(program))
    )
    return {
        data / "applications" / "dustpan.desktop": entry,
        data / "icons" / "hicolor" / "scalable" / "apps" / "dustpan.svg": (DESKTOP / "dustpan.svg").read_text(),
        data / "mime" / "packages" / "dustpan.xml": (DESKTOP / "dustpan-mime.xml").read_text(),
        data / "metainfo" / "org.dustpan.Dustpan.metainfo.xml": (
            DESKTOP / "org.dustpan.Dustpan.metainfo.xml"
        ).read_text(),
        data / "man" / "man1" / "dustpan.1": man_page(),
        data / "bash-completion" / "completions" / "dustpan": completion("bash"),
    }


def launcher() -> Path:
    """Where the program can be called by its name."""
    return Path.home() / ".local" / "bin" / "dustpan"


@app.command()
def install() -> None:
    """Put Dustpan into this user's menus: desktop entry, icon, file types, man page and completions."""
    program = Path(sys.argv[0]).resolve()
    for path, text in files().items():
        make_folder(path.parent)
        _write(path, text.encode())
    make_folder(launcher().parent)
    if launcher().is_symlink() or not launcher().exists():
        with contextlib.suppress(FileNotFoundError):
            launcher().unlink()
        launcher().symlink_to(program)
    else:
        raise FileProblem(launcher(), "it is there already and is no link; it was left as it is")
    _refresh()
    tell(f"Installed; {launcher()} starts Dustpan. ./run uninstall takes it out again.")


@app.command()
def uninstall() -> None:
    """Take out what install has put in; pictures, sweeps and recipes stay."""
    for path in files():
        with contextlib.suppress(FileNotFoundError):
            path.unlink()
    if launcher().is_symlink():
        launcher().unlink()
    _refresh()
    tell("Taken out. Your pictures, sweeps and recipes are where they were.")


def _write(path: Path, text: bytes) -> None:
    write_atomically(path, lambda file: file.write(text))


def _refresh() -> None:
    """Tell the desktop, where it has the programs for that."""
    data = _home("XDG_DATA_HOME", ".local/share")
    for command in (
        ["update-desktop-database", str(data / "applications")],
        ["update-mime-database", str(data / "mime")],
    ):
        if found := shutil.which(command[0]):
            subprocess.run([found, *command[1:]], check=False, capture_output=True, timeout=60)
