"""Steps that share out a picture: noise reduction in parts against one step everywhere, and what stands behind it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from benchmarks.common import CASES, FOUR, OTHERS, arguments, case, photograph, psnr, publish, table
from dustpan.core.colour import decode, encode, luma
from dustpan.core.grammar import parse_mask
from dustpan.core.noise.measure import measure
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Step, Sweep, make_step

STROKE = "@brush:strokes=140@120/120>260/380"
MASKS = {
    "texture": "@texture",
    "gradient": "@gradient:ends=40/40;300/440",
    "tones": "@tones:from=0,to=0.35",
    "brush": STROKE,
}
LIFT = 2.0  # EV that corners are lifted by
FLAT_FROM = 0.006  # steepness of the truth per px, up to which a place counts as flat


def noise(text: str = "", **values: float) -> Step:
    """A step Noise, where a mask says."""
    return replace(make_step("noise", values), where=parse_mask(text)) if text else make_step("noise", values)


def inverse(text: str) -> str:
    return text + (",inverted=1" if ":" in text else ":inverted=1")


def sweeps() -> dict[str, Sweep]:
    """Those that should give what one step gives."""
    found = {f"{name}, the rest": Sweep((noise(m), noise(inverse(m)))) for name, m in MASKS.items()}
    found["three masks"] = Sweep(
        (noise("@ellipse"), noise(f"{STROKE} -ellipse"), noise(f"{inverse('@ellipse')} -{STROKE[1:]}"))
    )
    found["luminance, then colour"] = Sweep((noise(colour=0), noise(luminance=0)))
    found["colour, then luminance"] = Sweep((noise(luminance=0), noise(colour=0)))
    found["shadows, then the rest"] = Sweep((noise(middle=0, highlights=0), noise(shadows=0)))
    found["red and blue, then green"] = Sweep((noise(green=0), noise(red=0, blue=0)))
    between = make_step("local-contrast", {"coarse": 0, "fine": 1e-4})  # next to nothing, but another picture
    found["gradient, another step, the rest"] = Sweep(
        (noise(MASKS["gradient"]), between, noise(inverse(MASKS["gradient"])))
    )
    found["luminance, another step, colour"] = Sweep((noise(colour=0), between, noise(luminance=0)))
    return found


def lost(kind: str) -> dict[str, list[float]]:
    """By sweep, the dB against one step everywhere, a figure a photograph."""
    found: dict[str, list[float]] = {}
    for name in (*FOUR, *OTHERS):
        truth, noisy = case(name, kind)
        with Renderer(from_array(noisy)) as renderer:
            one = psnr(renderer.render(Sweep((noise(),))), truth)
            for label, sweep in sweeps().items():
                found.setdefault(label, []).append(psnr(renderer.render(sweep), truth) - one)
    return found


def _left(a: NDArray, b: NDArray, noisy: tuple[NDArray, NDArray], where: NDArray) -> float:
    """Of the noise, in percent, by two draws of it."""
    return float(100 * np.std((a - b)[where]) / np.std((noisy[0] - noisy[1])[where]))


def two_strengths() -> list[list[object]]:
    """0.6 on rough parts and 1 on smooth ones, in two steps and in one: noise left in both parts, by two draws."""
    rows: list[list[object]] = []
    for name in FOUR:
        clean = photograph(name)
        draws = [
            np.clip(clean + np.random.default_rng(s).normal(0, 20 / 255, clean.shape), 0, 1).astype(np.float32)
            for s in (1, 2)
        ]
        results: dict[str, list[NDArray]] = {"two": [], "one": []}
        for noisy in draws:
            with Renderer(from_array(noisy)) as renderer:
                two = Sweep((noise("@texture", luminance=0.6, colour=0.6), noise("@texture:inverted=1")))
                rough = renderer.mask(two, 0)[..., None]
                results["two"].append(renderer.render(two))
                weak, whole = (renderer.render(Sweep((noise(luminance=s, colour=s),))) for s in (0.6, 1.0))
                results["one"].append(rough * weak + (1 - rough) * whole)
        places = rough[..., 0] > 0.9, rough[..., 0] < 0.1
        figures = [_left(*results[k], (draws[0], draws[1]), p) for p in places for k in ("one", "two")]  # type: ignore[call-arg]
        rows.append([name, *figures])
    return rows


def field(h: int = 400, w: int = 600, seed: int = 3) -> NDArray[np.float64]:
    """Slow gradients of colour, and a dozen discs."""
    rng = np.random.default_rng(seed)
    slow = [ndi.zoom(rng.normal(size=(5, 7)), (h / 5, w / 7), order=3)[:h, :w] for _ in range(3)]
    out = np.stack(slow, -1)
    out = 0.45 + 0.12 * out / out.std()
    y, x = np.mgrid[:h, :w]
    for _ in range(12):
        cy, cx, r = rng.integers(0, h), rng.integers(0, w), rng.integers(15, 50)
        out[(y - cy) ** 2 + (x - cx) ** 2 < r * r] += rng.normal(0, 0.12, 3)
    return np.clip(ndi.gaussian_filter(out, (0.6, 0.6, 0)), 0.05, 0.95)


def lifted(clean: NDArray, seed: int, stops: float) -> tuple[NDArray[np.float32], NDArray]:
    """A picture under a lens whose corners are darker by so many stops, lifted again; and how far out each px is."""
    h, w = clean.shape[:2]
    y, x = np.mgrid[:h, :w]
    out = ((y - h / 2) / (h / 2)) ** 2 / 2 + ((x - w / 2) / (w / 2)) ** 2 / 2
    fall = 2.0 ** (-stops * out)[..., None]
    rng, gains, photons = np.random.default_rng(seed), np.array([2.0, 1.0, 1.6]), 500.0
    light = decode(clean) * fall
    raw = (rng.poisson(light / gains * photons) + rng.normal(0, 3, light.shape)) / photons * gains / fall
    return encode(np.clip(raw, 0, 1)).astype(np.float32), out


def corners() -> list[list[object]]:
    """Noise left in flat parts of corners that were lifted and of the middle, by two draws."""
    rows: list[list[object]] = []
    for name in ("made field", *FOUR):
        clean = field() if name == "made field" else photograph(name)
        steep = ndi.gaussian_gradient_magnitude(luma(clean), 1.5)
        flat = ndi.maximum_filter(steep, 9) < FLAT_FROM
        row: list[object] = [name]
        for stops in (0.0, LIFT):
            draws, results = [], []
            for seed in (1, 2):
                noisy, out = lifted(clean, seed, stops)
                found = measure(noisy)
                with Renderer(from_array(noisy)) as renderer:
                    draws.append(noisy)
                    results.append(renderer.render(Sweep((noise(),))))
            both = (draws[0], draws[1])
            for where in (flat & (out > 0.6), flat & (out < 0.15)):
                row.append(_left(results[0], results[1], both, where) if where.sum() > 400 else None)
            if stops:
                span = found.places.of(Region(0, 0, *clean.shape[:2]))[0] if found.places else None
                row.append(None if span is None else float(span.max() / span.min()))
        rows.append(row)
    return rows


def grain_raised() -> list[list[object]]:
    """What Edge sharpen makes of the noise where a masked Noise has left it."""
    rows: list[list[object]] = []
    for kind in CASES:
        raised = []
        for name in FOUR:
            _, noisy = case(name, kind)
            kept = noise("@ellipse")
            sides = Sweep((kept,)), Sweep((kept, make_step("edge-sharpen")))
            with Renderer(from_array(noisy)) as renderer:
                mask = renderer.mask(sides[0], 0)
                before, after = (luma(renderer.render(s)) for s in sides)
            flat = _flat_patches(noisy, mask)
            power = [np.mean([np.var(p[y : y + 24, x : x + 24]) for y, x in flat]) for p in (before, after)]
            raised.append(float(100 * (np.sqrt(power[1] / power[0]) - 1)))
        rows.append([kind, float(np.mean(raised)), float(np.max(raised))])
    return rows


def _flat_patches(noisy: NDArray, mask: NDArray) -> list[tuple[int, int]]:
    """The flattest tenth of the patches of 24 px that the mask leaves alone."""
    soft = ndi.gaussian_filter(luma(np.asarray(noisy, float)), 3)
    places = [
        (y, x)
        for y in range(0, mask.shape[0] - 24, 12)
        for x in range(0, mask.shape[1] - 24, 12)
        if mask[y : y + 24, x : x + 24].max() < 0.01 and 0.05 < soft[y + 12, x + 12] < 0.95
    ]
    places.sort(key=lambda p: float(np.var(soft[p[0] : p[0] + 24, p[1] : p[1] + 24])))
    return places[: max(10, len(places) // 10)]


def main() -> None:
    options = arguments(__doc__)
    rows = []
    by_case = {kind: lost(kind) for kind in CASES}
    for label in sweeps():
        cells = [[by_case[kind][label] for kind in CASES]]
        flat = [v for values in cells[0] for v in values]
        rows.append([label, *(float(np.mean(v)) for v in cells[0]), float(np.mean(flat)), float(np.min(flat))])
    parts = [
        "Noise reduction in several steps against one step everywhere, dB, mean of eight photographs a case:",
        table(["steps", *CASES, "mean", "worst"], rows),
        "0.6 on rough parts and 1.0 on smooth ones (white noise of 20/255), noise left in percent by two draws, in one "
        "step's mix and in two steps:",
        table(["photograph", "rough, one", "rough, two", "smooth, one", "smooth, two"], two_strengths()),
        f"Corners lifted by {LIFT:g} EV: noise left in flat parts in percent, by two draws, beside the same picture "
        "that was not lifted; and how many times as strong the noise was told to be:",
        table(["picture", "corners, plain", "middle, plain", "corners", "middle", "told"], corners()),
        "Edge sharpen after a Noise in an ellipse: by how much the grain outside is raised, percent:",
        table(["case", "mean", "most"], grain_raised()),
    ]
    publish("parts", "Steps that share out a picture", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
