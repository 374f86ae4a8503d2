"""What the benchmarks share: photographs with made noise, scores, tables, and runs in a process of their own."""

from __future__ import annotations

import argparse
import io
import json
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernel_cache import prepare_kernel_cache

prepare_kernel_cache()

from dustpan.core.colour import decode, encode  # noqa: E402
from dustpan.demo.camera import develop, expose, mosaic_and_back  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent
PAGE = ROOT / "docs" / "benchmarks.md"
FOUR = ("astronaut", "chelsea", "coffee", "motorcycle_left")
OTHERS = ("rocket", "motorcycle_right", "ihc", "camera")
TEXTURES = ("brick", "gravel", "grass")
CASES = "ABC"


def photograph(name: str) -> NDArray[np.float64]:
    """One of the photographs in scikit-image's wheel: (H, W, 3) encoded 0..1, with even sides."""
    import skimage
    from skimage.io import imread

    folder = Path(skimage.__file__).parent / "data"
    path = next(p for p in (folder / f"{name}.png", folder / f"{name}.jpg") if p.exists())
    pixels = np.asarray(imread(path), float) / 255
    pixels = pixels[..., :3] if pixels.ndim == 3 else np.repeat(pixels[..., None], 3, 2)
    return pixels[: pixels.shape[0] // 2 * 2, : pixels.shape[1] // 2 * 2]


def noisy_pair(clean: NDArray, case: str, seed: int) -> tuple[NDArray, NDArray[np.float32]]:
    """Truth and noisy version of a clean picture, both encoded; the noisy one as a 16-bit file holds it.

    A: white, sigma 25/255. B: 2 EV darker, shot and read noise, clipped. C: B through mosaic, demosaic and JPEG 92.
    """
    if case == "A":
        truth, noisy = clean, clean + np.random.default_rng(seed).normal(0, 25 / 255, clean.shape)
    else:
        light = decode(clean) / 4
        raw = expose(light, seed)
        truth = encode(light)
        noisy = develop(raw) if case == "B" else jpeg(develop(mosaic_and_back(raw)), 92)
    return truth, (np.round(np.clip(noisy, 0, 1) * 65535) / 65535).astype(np.float32)


def jpeg(pixels: NDArray, quality: int) -> NDArray[np.float64]:
    """Through a JPEG of this quality and back."""
    from PIL import Image

    held = io.BytesIO()
    Image.fromarray(np.round(np.clip(pixels, 0, 1) * 255).astype(np.uint8)).save(held, "JPEG", quality=quality)
    return np.asarray(Image.open(held).convert("RGB"), float) / 255


def case(name: str, kind: str) -> tuple[NDArray, NDArray[np.float32]]:
    """Truth and noisy version of a photograph by name."""
    return noisy_pair(photograph(name), kind, 1234 + sum(map(ord, name)))


def psnr(result: NDArray, truth: NDArray) -> float:
    """In dB, peak 1, the result clipped to what a file holds."""
    return float(-10 * np.log10(np.mean((np.clip(result, 0, 1).astype(float) - truth) ** 2)))


def ssim(result: NDArray, truth: NDArray) -> float:
    from skimage.metrics import structural_similarity

    return float(structural_similarity(np.clip(result, 0, 1).astype(float), truth, channel_axis=-1, data_range=1.0))


# ---------------------------------------------------------------- tables and the page


def table(head: Sequence[str], rows: Sequence[Sequence[Any]]) -> str:
    """A Markdown table."""
    lines = ["| " + " | ".join(head) + " |", "|" + "---|" * len(head)]
    lines += ["| " + " | ".join(_cell(v) for v in row) + " |" for row in rows]
    return "\n".join(lines)


def _cell(value: Any) -> str:
    if value is None:
        return "–"
    return f"{value:.2f}" if isinstance(value, float) else str(value)


def commit() -> str:
    found = subprocess.run(["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, capture_output=True, text=True)
    changed = subprocess.run(["git", "status", "--porcelain", "--", "src"], cwd=ROOT, capture_output=True, text=True)
    return (found.stdout.strip() or "unknown") + (" with changes" if changed.stdout.strip() else "")


def publish(section: str, title: str, text: str, write: bool) -> None:
    """Print a section, and put it into the page between its own marks."""
    print(text, flush=True)
    if not write:
        return
    start, end = f"<!-- {section} -->", f"<!-- end of {section} -->"
    command = f"python -m benchmarks.{section}"
    body = f"{start}\n## {title}\n\n{text}\n\nWritten by `{command} --write` at commit {commit()}.\n{end}\n"
    page = PAGE.read_text("utf-8") if PAGE.exists() else "# Benchmarks\n\n"
    if start in page:
        before, _, rest = page.partition(start)
        page = before + body + rest.partition(end + "\n")[2]
    else:
        page = page.rstrip("\n") + "\n\n" + body
    PAGE.write_text(page, "utf-8")


def arguments(description: str | None, **options: Any) -> argparse.Namespace:
    parser = argparse.ArgumentParser(description=(description or "").splitlines()[0])
    parser.add_argument("--write", action="store_true", help="put the tables into docs/benchmarks.md")
    for name, default in options.items():
        parser.add_argument(f"--{name}", default=default)
    return parser.parse_args()


# ---------------------------------------------------------------- a process of its own


def apart(module: str, *words: str) -> Any:
    """Run ``python -m module --apart words…`` in a fresh process; what it prints last is read as JSON."""
    run = subprocess.run(
        [sys.executable, "-m", module, "--apart", *words], cwd=ROOT, capture_output=True, text=True, check=False
    )
    if run.returncode:
        raise RuntimeError(run.stderr)
    return json.loads(run.stdout.strip().splitlines()[-1])


def answer_apart(answer: Callable[..., Any]) -> bool:
    """Whether this process was started by `apart`; if so, print what ``answer(*words)`` gives."""
    if len(sys.argv) > 1 and sys.argv[1] == "--apart":
        print(json.dumps(answer(*sys.argv[2:])))
        return True
    return False


def peak_megabytes() -> float:
    import resource

    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
