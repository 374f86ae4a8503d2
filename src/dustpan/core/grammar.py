"""The text of steps and of masks as the command line takes them.

A step is ``ID[:name=value,…]``; besides its own parameters it can be told ``opacity`` (0 to 1) and ``blend``. Where it
applies follows after spaces: ``@PART[:name=value,…]`` the first part, then ``+PART`` adds, ``&PART`` counts only where,
``-PART`` counts except. What every part can be told besides its own parameters is ``inverted``, ``faded`` and
``feather``; ``@finish:…`` is what is done to the whole.
"""

from __future__ import annotations

import re
from typing import Any

from dustpan.core.blend import Blend
from dustpan.core.errors import WrongUse
from dustpan.core.params import parse_values
from dustpan.core.parts import part_kind
from dustpan.core.step import StepKind
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Step
from dustpan.core.where.clean_up import Finish
from dustpan.core.where.mask import WIDEST, How, Mask, Part

SIGNS = {"@": How.ADD, "+": How.ADD, "&": How.ONLY, "-": How.EXCEPT}
FINISH = "finish"
PARTED = r"\s+(?=[@+&-])"  # where the next part begins
LAID = ("opacity", "blend")  # of every step
NUMBER = r"[0-9]+(\.[0-9]*)?|\.[0-9]+"
ALSO = ("inverted", "faded", "feather")  # of every part


def parse_step(text: str) -> Step:
    """A step from its text; what is not given takes its default.

    Raises
    ------
    WrongUse : an unknown step, part or parameter, or a value that is not allowed.

    Examples
    --------
    >>> step = parse_step("noise:luminance=0.7,opacity=0.5 @tones:low=0,high=0.4")
    >>> step.name, step.params.luminance, step.opacity, [part.kind.id for part in step.where.parts]
    ('Noise', 0.7, 0.5, ['tones'])
    """
    what, *where = re.split(PARTED, text.strip(), maxsplit=1)
    id, _, rest = what.partition(":")
    kind, pairs = step_kind(id.strip()), _pairs(rest)
    own = [p for p in pairs if p[0] in kind.params.model_fields or p[0] not in LAID]
    laid = {name: text for name, text in pairs if (name, text) not in own}
    params = kind.make(parse_values(kind.params, own))
    return Step(
        kind, params, True, _opacity(laid.get("opacity", "1")), _blend(laid.get("blend"), kind), parse_mask(*where)
    )


def _opacity(text: str) -> float:
    if not re.fullmatch(NUMBER, text) or not 0 <= float(text) <= 1:
        raise WrongUse("opacity must be a number from 0 to 1, not “{0}”.", text)
    return float(text)


def _blend(text: str | None, kind: StepKind) -> Blend:
    known = {b.value.replace(" ", "-"): b for b in Blend}
    if text is not None and text not in known:
        raise WrongUse("There is no blend “{0}”; the blends are {1}.", text, ", ".join(known))
    return kind.blend if text is None else known[text]


def parse_mask(text: str = "") -> Mask:
    """A mask from the texts of its parts; none of them is everywhere.

    Examples
    --------
    >>> [(part.how.value, part.kind.id) for part in parse_mask("@edges -ellipse:x=40,y=30").parts]
    [('add', 'edges'), ('except', 'ellipse')]
    """
    mask = Mask()
    for word in filter(None, re.split(PARTED, text.strip())):
        sign, rest = word[0], word[1:]
        if sign not in SIGNS or ((sign == "@") != (not mask.parts) and not rest.startswith(FINISH)):
            raise WrongUse("“{0}” must begin with @ for the first part of a mask, then with +, & or -.", word)
        id, _, values = rest.partition(":")
        pairs = _pairs(values)
        if id == FINISH:
            mask = Mask(mask.parts, Finish.make(FINISH, parse_values(Finish, pairs)))
            continue
        kind = part_kind(id)
        own = [p for p in pairs if p[0] not in ALSO]
        mask = mask.added(
            Part(kind, kind.params.make(kind.name, parse_values(kind.params, own)), SIGNS[sign], **_also(pairs))
        )
    return mask


def _also(pairs: list[tuple[str, str]]) -> dict[str, Any]:
    """What every part can be told."""
    said: dict[str, Any] = {}
    most = {"faded": 100.0, "feather": WIDEST}
    for name, text in pairs:
        if name == "inverted":
            said[name] = text in ("1", "on", "true")
        elif name in most:
            if not re.fullmatch(NUMBER, text) or not 0 <= float(text) <= most[name]:
                raise WrongUse("{0} must be a number from 0 to {1:g}, not “{2}”.", name, most[name], text)
            said[name] = float(text)
    return said


def _pairs(text: str) -> list[tuple[str, str]]:
    found = []
    for part in filter(None, (p.strip() for p in text.split(","))):
        name, equals, value = (p.strip() for p in part.partition("="))
        if not equals or not value:
            raise WrongUse("“{0}” in --step must be name=value.", part)
        found.append((name, value))
    return found
