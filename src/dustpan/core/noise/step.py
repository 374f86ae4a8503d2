"""The Noise step: guide, refine and analyse (slow, cached), structure (only for give back), mix (instant)."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.fact import PASSES
from dustpan.core.language import mark, say
from dustpan.core.noise import blotches
from dustpan.core.noise.guides import Guides
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.mixing import mixed, share_of_tones
from dustpan.core.noise.plans import DRAFT, PLANS, REACH_OF_FINISH, Quality, reach_of
from dustpan.core.noise.reduce import Work, calmed, clean_region, finished, guided, refined, removed_structure
from dustpan.core.noise.sliding_dct import REACH as SLIDING_REACH
from dustpan.core.noise_of.effect import Effect
from dustpan.core.noise_of.shares import Shares, Taken
from dustpan.core.params import Params, choice, number
from dustpan.core.picture import Kind
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind


def _share(label: str, group: str, where: str, deeper: bool = False) -> Any:
    """A share of the strength in percent."""
    help = f"Share of the strength in {where}."
    return number(100, 0, 100, label=label, unit="%", digits=0, group=group, help=help, deeper=deeper)


class NoiseParams(Params):
    """Strengths in ×noise: 1 is set for exactly the noise that was measured."""

    luminance: float = number(
        1.0, 0, 4, label="Luminance", unit="×noise", help="How much of the brightness noise is taken out."
    )
    colour: float = number(
        1.0,
        0,
        4,
        label="Colour",
        unit="×noise",
        help="How much of the colour noise, speckle and blotches, is taken out.",
    )
    give_back: float = number(
        0,
        0,
        100,
        label="Give back",
        unit="%",
        digits=0,
        help="Returns the part of what was removed that has structure in it.",
    )
    quality: Quality = choice(
        Quality,
        Quality.EXACT,
        label="Quality",
        help="How thoroughly noise is told from content: quick for a look, finest when time does not matter.",
        deeper=True,
    )
    blotches: float = number(
        0,
        0,
        64,
        label="Blotch size",
        unit="px",
        digits=0,
        help="Draws colour blotches of up to this size into their surroundings; edges of colour stay where they are.",
        deeper=True,
    )
    shadows: float = _share("Shadows", "By brightness", "dark tones")
    middle: float = _share("Middle", "By brightness", "middle tones")
    highlights: float = _share("Highlights", "By brightness", "bright tones")
    red: float = _share("Red", "By channel", "red", deeper=True)
    green: float = _share("Green", "By channel", "green", deeper=True)
    blue: float = _share("Blue", "By channel", "blue", deeper=True)


def _model_strengths(p: NoiseParams) -> tuple[float, float]:
    """Up to 1 the result is mixed; beyond, the noise model itself is made stronger."""
    return max(1.0, p.luminance), max(1.0, p.colour)


def _mixes(p: NoiseParams) -> bool:
    """Whether the result is more than the cleaned picture."""
    return p.give_back > 0 or not _takes_all(p)


def _takes_all(p: NoiseParams) -> bool:
    """Whether all of the noise is taken out, but for what has structure in it."""
    shares = (p.shadows, p.middle, p.highlights, p.red, p.green, p.blue)
    return min(p.luminance, p.colour) >= 1 and min(shares) >= 100


def _analysis_key(p: NoiseParams) -> tuple:
    return (*_model_strengths(p), p.quality)


def _work(context: Context, grow: int = 0) -> Work:
    """What the parts are told, of the region grown by ``grow`` px within the picture."""
    around = context.region.grown(grow).within(context.size)
    noise, passes, guides = context.facts[NOISE_PRINT], context.facts[PASSES], None
    if noise.in_passes is not None and passes is not None:
        noise, guides = noise.in_passes.print, Guides(passes, noise.in_passes.white)
    strengths = _model_strengths(context.params)
    return Work(context.size, noise, *strengths, context.check, context.by_place(grow), around, guides)


def _input(context: Context, grow: int, work: Work) -> tuple[NDArray[np.float32], Region]:
    """The stabilised input: (C, h, w)."""
    found, have = context.get(INPUT, grow)
    return work.noise.stabiliser.stabilise(work.divided(found, have)), have


def _planes(context: Context, stage: str, grow: int) -> tuple[NDArray[np.float32], Region]:
    """What an earlier stage made of the stabilised input: (C, h, w)."""
    found, have = context.get(stage, grow)
    return np.moveaxis(found, -1, 0), have


def _kept(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """As stages hand them on: (h, w, C), in memory as they were."""
    return np.moveaxis(planes, 0, -1)


def _guide(context: Context) -> NDArray[np.float32]:
    plan = PLANS[context.params.quality]
    work = _work(context, plan.guide_reach)
    if work.idle:
        return np.zeros((context.region.height, context.region.width, 0), np.float32)  # nothing will be guided
    planes, have = _input(context, plan.guide_reach, work)
    return _kept(guided(planes, have, context.region, work, plan))


def _refine(context: Context) -> NDArray[np.float32]:
    rounds = PLANS[context.params.quality].rounds[:-1]
    reach = reach_of(rounds)
    work = _work(context, reach)
    if work.idle:
        return context.get("guide")[0]
    planes, have = _input(context, reach, work)
    guide, guide_have = _planes(context, "guide", reach)
    return _kept(refined(planes, have, guide, guide_have, context.region, work, rounds))


def _analyse(context: Context) -> NDArray[np.float32]:
    plan = PLANS[context.params.quality]
    rounds = plan.rounds
    reach = reach_of(rounds[-1:]) + REACH_OF_FINISH
    work = _work(context, reach)
    if work.idle:
        return context.get(INPUT)[0]
    pixels, have = context.get(INPUT, reach)
    pixels = work.divided(pixels, have)
    planes = work.noise.stabiliser.stabilise(pixels)
    guide, guide_have = _planes(context, "refine" if len(rounds) > 1 else "guide", reach)
    around = context.region.grown(REACH_OF_FINISH).within(context.size)
    calm = refined(planes, have, guide, guide_have, around, work, rounds[-1:])
    return finished(pixels, planes, have, calm, around, context.region, work, plan.evened)


def _draft(context: Context) -> NDArray[np.float32]:
    return clean_region(*context.get(INPUT, DRAFT.reach), context.region, _work(context, DRAFT.reach), DRAFT)


def _calm(context: Context) -> NDArray[np.float32]:
    size = context.params.blotches
    cleaned, have = context.get("analyse", blotches.reach(size) + blotches.CELL)
    return calmed(cleaned, have, context.region, _work(context), size)


def _structure(context: Context) -> NDArray[np.float32]:
    pixels, have = context.get(INPUT, SLIDING_REACH)
    cleaned, _ = context.get("analyse", SLIDING_REACH)
    around, factor = context.region.grown(SLIDING_REACH).within(context.size), context.by_place(SLIDING_REACH)
    work = Work(context.size, context.facts[NOISE_PRINT], check=context.check, factor=factor, around=around)
    return removed_structure(pixels, cleaned, have, context.region, work)


def _mix(context: Context) -> NDArray[np.float32]:
    pixels, _ = context.get(INPUT)
    cleaned, _ = context.get("calm" if context.params.blotches > 0 else "analyse")
    structure = context.get("structure")[0] if context.params.give_back > 0 else None
    return mix(pixels, cleaned, structure, context.params)


def mix(
    pixels: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    structure: NDArray[np.float32] | None,
    p: NoiseParams,
) -> NDArray[np.float32]:
    """Blend the picture with its cleaned version as the strengths say.

    Parameters
    ----------
    pixels, cleaned : (h, w, C) encoded values before and after full cleaning.
    structure : (h, w) encoded luminance that give back returns, or None.
    p : strengths; shares by brightness follow the *cleaned* luma, never noisy pixels.
    """
    tones, channels = _tones(p), _channels(p, pixels.shape[2])
    return mixed(
        pixels, cleaned, structure, min(1.0, p.luminance), min(1.0, p.colour), p.give_back / 100, tones, channels
    )


def _tones(p: NoiseParams) -> NDArray[np.float32]:
    return np.array([p.shadows, p.middle, p.highlights], np.float32) / np.float32(100)


def _channels(p: NoiseParams, count: int) -> NDArray[np.float32]:
    channels = np.array([p.red, p.green, p.blue], np.float32) / np.float32(100)
    if count == 1:
        channels[:] = 1
    return channels[:count]


def taken(p: NoiseParams, cleaned: NDArray[np.float32]) -> Taken:
    """The shares that are asked for, of the luminance part and of the rest, by channel and by place."""
    channels = _channels(p, cleaned.shape[2])[:, None, None]
    strengths = np.array([min(1.0, p.luminance), min(1.0, p.colour)], np.float32)[:, None, None, None]
    tones = _tones(p)
    share = share_of_tones(luma(cleaned), tones) if tones.min() < 1 else np.ones((1, 1), np.float32)
    return np.asarray(strengths * channels * share, np.float32)


def _everything(p: NoiseParams) -> NoiseParams:
    whole = dict.fromkeys(("shadows", "middle", "highlights", "red", "green", "blue"), 100.0)
    luminance, colour = _model_strengths(p)
    return p.model_copy(update=whole | {"luminance": luminance, "colour": colour, "give_back": 0.0})


SHARES = Shares(
    taken=taken,
    strength=lambda p: max(p.luminance, p.colour, 1.0),
    cleaned=lambda p: "calm" if p.blotches > 0 else "analyse",
    structure=lambda p: "structure" if p.give_back > 0 else None,
    give_back=lambda p: p.give_back / 100,
    everything=_everything,
    mixed="mix",
)


def _unused(kind: Kind, p: NoiseParams) -> dict[str, str]:
    why = mark("A picture of one channel has no colours.")
    return dict.fromkeys(("colour", "blotches", "red", "green", "blue"), why) if kind is Kind.MONO else {}


def _summary(p: NoiseParams) -> str:
    if p.luminance == p.colour:
        return say("{0:.2g}× noise", p.luminance)
    return say("{0:.2g}× lum · {1:.2g}× col", p.luminance, p.colour)


NOISE = StepKind(
    id="noise",
    name="Noise",
    place=90,
    help="Takes out luminance and colour noise, as strong as it was measured at every brightness.",
    params=NoiseParams,
    stages=(
        Stage(
            "guide",
            _guide,
            key=_analysis_key,
            reach=lambda p: PLANS[p.quality].guide_reach,
            draft=Stage("guide", _guide, needed=lambda p: False),
        ),
        Stage(
            "refine",
            _refine,
            key=_analysis_key,
            reach=lambda p: reach_of(PLANS[p.quality].rounds[:-1]),
            needed=lambda p: len(PLANS[p.quality].rounds) > 1,
            draft=Stage("refine", _refine, needed=lambda p: False),
        ),
        Stage(
            "analyse",
            _analyse,
            key=_analysis_key,
            reach=lambda p: reach_of(PLANS[p.quality].rounds[-1:]) + REACH_OF_FINISH,
            draft=Stage("analyse", _draft, reach=DRAFT.reach),
        ),
        Stage(
            "calm",
            _calm,
            key=lambda p: (*_analysis_key(p), p.blotches),
            reach=lambda p: blotches.reach(p.blotches) + blotches.CELL,
            needed=lambda p: p.blotches > 0,
        ),
        Stage(
            "structure",
            _structure,
            key=_analysis_key,
            reach=SLIDING_REACH,
            needed=lambda p: p.give_back > 0,
        ),
        Stage("mix", _mix, needed=_mixes),
    ),
    facts=lambda p: frozenset({NOISE_PRINT, PASSES}),
    idle=lambda p: p.luminance == 0 and p.colour == 0,
    summary=_summary,
    unused=_unused,
    instrument="noise",
    noise=Effect(whole=_takes_all, shares=SHARES),
    version=3,  # 1 had no quality and 2 no blotch size; each takes its default
)
