"""The man page and the shell completions, made from the command line's own help."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any

import typer

from dustpan import __version__
from dustpan.cli.app import app
from dustpan.core.errors import WrongUse

SHELLS = ("bash", "zsh", "fish")
CODES = {0: "Done.", 1: "Some input failed.", 2: "Wrong use.", 3: "Nothing was handed back (open --return)."}


def commands() -> Iterator[tuple[str, Any]]:
    """Every command by name."""
    group: Any = typer.main.get_command(app)
    for name, command in sorted(group.commands.items()):
        if not command.hidden:
            yield name, command


def options(command: Any) -> list[str]:
    """All options of a command, as they are typed."""
    found = [o for p in command.params if p.param_type_name == "option" for o in (*p.opts, *p.secondary_opts)]
    return [*found, "--help"]


def _roff(text: str) -> str:
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join(f"\\&{line}" if line[:1] in (".", "'") else line for line in escaped.split("\n"))


def man_page() -> str:
    """dustpan(1), as roff."""
    lines = [
        f'.TH DUSTPAN 1 "" "dustpan {__version__}" "Dustpan"', ".SH NAME",
        "dustpan \\- measured noise reduction and halo\\-free sharpening", ".SH SYNOPSIS", ".B dustpan",
        "[\\fICOMMAND\\fR] [\\fIOPTIONS\\fR]", ".SH DESCRIPTION",
        _roff("Without a command the window opens. With --json one JSON object goes to the standard output; progress "
              "and messages go to the standard error."), ".SH COMMANDS",
    ]  # fmt: skip
    for name, command in commands():
        arguments = [p for p in command.params if p.param_type_name == "argument"]
        shown = " ".join(f"\\fI{_roff(p.name.upper())}\\fR" + ("..." if p.nargs == -1 else "") for p in arguments)
        lines += [f".SS {_roff(name)} {shown}".rstrip(), _roff(" ".join((command.help or "").split()))]
        for p in command.params:
            if p.param_type_name == "option":
                names = ", ".join(f"\\fB{_roff(o)}\\fR" for o in (*p.opts, *p.secondary_opts))
                lines += [".TP", names, _roff(p.help or "")]
            else:
                lines += [".TP", f"\\fI{_roff(p.name.upper())}\\fR", _roff(p.help or "")]
    lines.append(".SH EXIT STATUS")
    for code, words in CODES.items():
        lines += [".TP", str(code), _roff(words)]
    lines += [".SH FILES", ".TP", "\\fIPICTURE\\fR.sweep.json", "The steps of a picture, beside it.", ".TP",
              _roff("~/.config/dustpan/recipes"), "Your recipes."]  # fmt: skip
    return "\n".join(lines) + "\n"


def completion(shell: str) -> str:
    """The script that completes commands and options in a shell.

    Raises
    ------
    WrongUse : for a shell that is not known.
    """
    told = dict(commands())
    if shell == "bash":
        cases = "\n".join(f'    {name}) words="{" ".join(options(c))}" ;;' for name, c in told.items())
        return (
            "_dustpan() {\n"
            '  local current="${COMP_WORDS[COMP_CWORD]}" words=""\n'
            '  if [ "$COMP_CWORD" -eq 1 ]; then\n'
            f'    words="{" ".join(told)} --help --version"\n'
            "  else\n"
            '    case "${COMP_WORDS[1]}" in\n' + cases + "\n    esac\n"
            "  fi\n"
            '  if [[ "$current" == -* || "$COMP_CWORD" -eq 1 ]]; then\n'
            '    mapfile -t COMPREPLY < <(compgen -W "$words" -- "$current")\n'
            "  else\n"
            '    mapfile -t COMPREPLY < <(compgen -f -- "$current")\n'
            "  fi\n"
            "}\n"
            "complete -o filenames -F _dustpan dustpan\n"
        )
    if shell == "zsh":
        cases = "\n".join(f"    {name}) compadd -- {' '.join(options(c))} ;;" for name, c in told.items())
        return (
            "#compdef dustpan\n"
            "_dustpan() {\n"
            "  if (( CURRENT == 2 )); then\n"
            f"    compadd -- {' '.join(told)} --help --version\n"
            "    return\n"
            "  fi\n"
            "  if [[ $PREFIX != -* ]]; then _files; return; fi\n"
            "  case $words[2] in\n" + cases + "\n  esac\n"
            "}\n"
            "compdef _dustpan dustpan\n"
        )
    if shell == "fish":
        lines = []
        for name, c in told.items():
            help_ = " ".join((c.help or "").split()).split(". ")[0].replace("'", "\\'")
            lines.append(f"complete -c dustpan -n __fish_use_subcommand -a {name} -d '{help_}'")
            for p in c.params:
                if p.param_type_name == "option":
                    words = (p.help or "").replace("\\", "\\\\").replace("'", "\\'")
                    for option in (*p.opts, *p.secondary_opts):
                        flag = f"-l {option[2:]}" if option.startswith("--") else f"-s {option[1:]}"
                        lines.append(f"complete -c dustpan -n '__fish_seen_subcommand_from {name}' {flag} -d '{words}'")
        return "\n".join(lines) + "\n"
    raise WrongUse("Completion is there for {0}.", ", ".join(SHELLS))


@app.command()
def man() -> None:
    """Print the man page."""
    print(man_page(), end="")


@app.command("completion")
def completion_(shell: Annotated[str, typer.Argument(help="bash, zsh or fish.")] = "bash") -> None:
    """Print what completes commands and options in a shell."""
    print(completion(shell), end="")
