"""``dustpan steps``: every step, described."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dustpan.cli.app import AsJson, app, emit

if TYPE_CHECKING:
    from dustpan.core.params import Params


@app.command()
def steps(as_json: AsJson = False) -> None:
    """List every step, and every part of a mask, with its parameters, units, ranges and defaults."""
    from dustpan.core.parts import PARTS
    from dustpan.core.steps import STEPS
    from dustpan.core.sweep import describe, describe_parts

    if as_json:
        emit({"steps": describe(STEPS), "parts": describe_parts(PARTS)})
        return
    for kind in STEPS:
        print(f"{kind.id}: {kind.help}")
        _print_controls(kind.params)
    print("\nWhere a step applies, after it: @PART the first, +PART adds, &PART only where, -PART except.")
    for part in PARTS:
        print(f"@{part.id}: {part.help}")
        _print_controls(part.params)


def _print_controls(params: type[Params]) -> None:
    for c in params.controls():
        default = f"{c.default:g}" if isinstance(c.default, float | int) else str(c.default)
        print(f"    {c.typed or c.name} = {default} {c.unit}".rstrip() + f" ({c.span()}): {c.help}")
