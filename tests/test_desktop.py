"""The man page, the completions, and what is put into a user's menus and taken out again."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import pytest

from dustpan.cli import install
from dustpan.cli.pages import SHELLS, commands, completion, man_page, options
from dustpan.core.errors import FileProblem, WrongUse


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("HOME", str(tmp_path))
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setattr(sys, "argv", [str(tmp_path / "venv" / "bin" / "dustpan")])
    return tmp_path


def test_every_command_and_option_stands_in_the_man_page() -> None:
    page = man_page()
    for name, command in commands():
        assert f".SS {name}".replace("-", "\\-") in page
        for option in options(command)[:-1]:
            assert option.replace("-", "\\-") in page
    assert not [line for line in page.split("\n") if line.startswith("'")]


@pytest.mark.parametrize("shell", SHELLS)
def test_every_command_is_completed_in_every_shell(shell: str) -> None:
    script = completion(shell)
    for name, command in commands():
        assert name in script
        for option in options(command)[:-1]:
            assert option.lstrip("-") in script
    if program := shutil.which(shell):
        assert subprocess.run([program, "-n", "-c", script], capture_output=True, timeout=20).returncode == 0


def test_another_shell_is_refused() -> None:
    with pytest.raises(WrongUse):
        completion("tcsh")


@pytest.mark.slow
def test_what_is_installed_is_taken_out_again_and_nothing_else(home: Path) -> None:
    mine = home / ".local" / "share" / "applications" / "mine.desktop"
    mine.parent.mkdir(parents=True)
    mine.write_text("mine")
    install.install()
    data = home / ".local" / "share"
    entry = (data / "applications" / "dustpan.desktop").read_text()
    assert f"Exec={home / '.local' / 'bin' / 'dustpan'} open %F" in entry
    assert "@" not in entry
    assert (home / ".local" / "bin" / "dustpan").is_symlink()
    for path in install.files():
        assert path.is_file()
        if path.suffix in (".svg", ".xml"):
            ElementTree.parse(path)
    install.install()
    install.uninstall()
    assert not [p for p in install.files() if p.exists()]
    assert not (home / ".local" / "bin" / "dustpan").is_symlink()
    assert mine.read_text() == "mine"


def test_a_program_of_that_name_is_left_as_it_is(home: Path) -> None:
    there = home / ".local" / "bin" / "dustpan"
    there.parent.mkdir(parents=True)
    there.write_text("somebody else's")
    with pytest.raises(FileProblem):
        install.install()
    assert there.read_text() == "somebody else's"
