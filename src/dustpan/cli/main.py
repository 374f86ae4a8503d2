"""The command line: everything the window computes can be had without a window.

With ``--json`` one JSON object goes to stdout; progress and messages go to stderr. Exit codes: 0 done, 1 some input
failed, 2 wrong use. Each command is a thin front on the core in a module of its own; what takes long to import is
imported where it is used, so that ``--help`` answers at once.
"""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from dustpan import __version__
from dustpan.core.kernel_cache import prepare_kernel_cache

prepare_kernel_cache()

from dustpan.cli import (  # noqa: E402  each adds its commands
    batch,  # noqa: F401
    clean,  # noqa: F401
    find,  # noqa: F401
    install,  # noqa: F401
    judge,  # noqa: F401
    mask,  # noqa: F401
    measure,  # noqa: F401
    pages,  # noqa: F401
    prepare,  # noqa: F401
    stack,  # noqa: F401
    steps,  # noqa: F401
)
from dustpan.cli.app import app, keep_output_for_answers, tell  # noqa: E402
from dustpan.cli.open import show_window  # noqa: E402
from dustpan.core.errors import DustpanError, WrongUse  # noqa: E402
from dustpan.core.files.guard import GUARD  # noqa: E402


@app.callback(invoke_without_command=True)
def start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    """Without a command the window opens."""
    if version:
        print(f"dustpan {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        show_window([])


def main() -> None:
    """Entry point: turns every failure that a person can cause into one sentence and an exit code."""
    if "--json" in sys.argv:
        keep_output_for_answers()
    try:
        with GUARD.run():  # whatever a command reads, it does not write over
            app()
    except WrongUse as error:
        tell(str(error))
        sys.exit(2)
    except DustpanError as error:
        tell(str(error))
        sys.exit(1)
    except MemoryError:
        tell("There is not enough memory for this picture.")
        sys.exit(1)
    except BrokenPipeError:
        sys.exit(1)


if __name__ == "__main__":
    main()
