"""``dustpan steps``: every step, described."""

from __future__ import annotations

from dustpan.cli.app import AsJson, app, emit


@app.command()
def steps(as_json: AsJson = False) -> None:
    """List every step with its parameters, units, ranges and defaults."""
    from dustpan.core.steps import STEPS
    from dustpan.core.sweep import describe

    if as_json:
        emit({"steps": describe(STEPS)})
        return
    for kind in STEPS:
        print(f"{kind.id}: {kind.help}")
        for c in kind.controls():
            default = f"{c.default:g}" if isinstance(c.default, float | int) else str(c.default)
            print(f"    {c.name} = {default} {c.unit}".rstrip() + f" ({c.span()}): {c.help}")
