"""Learns what lies on a picture: ``python -m tools.learn_specks FOLDER`` grows the trees of the step Specks anew.

FOLDER holds photographs without marks, of any kinds and as many as there are; they are not kept. On parts of them, at
several sizes, marks are made with noise, things that look like marks and JPEG, in ways that differ from part to part;
every candidate that the step would look at becomes a row. What is taken by mistake counts by its area. Needs
scikit-learn, which nothing else does: ``pip install scikit-learn``.
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from dustpan.core.defects.speck_shapes import find_in
from dustpan.core.defects.specks import LEARNT
from dustpan.core.files import open_picture
from dustpan.core.forest import Forest
from dustpan.demo.marks import Sizes, baited, marked, starry

PARTS, WORKERS = 14, 2  # of each photograph
SIDE, LONG_SIDES = 490, (450, 500, 600, 800, 1100, 1600)  # px
MARKS, SIGMAS = (0, 8, 20, 36, 50), (0, 0.7, 1.5, 1.5, 3, 5)
INSIDE = 0.6  # of a candidate's pixels, that lie on a mark or beside it, of one that is one
TREES = {
    "max_iter": 300,
    "max_leaf_nodes": 31,
    "learning_rate": 0.05,
    "min_samples_leaf": 200,
    "l2_regularization": 1.0,
}
USUAL_AREA, WEIGHTS = 20, (0.2, 40)  # px of what counts once that is taken by mistake; and the ends


class Rows(NamedTuple):
    """Candidates of one part: what tells of each, whether it is a mark, and its area in px."""

    told: NDArray[np.float32]
    is_mark: NDArray[np.bool_]
    area: NDArray[np.int64]


def part_of(photograph: NDArray, rng: np.random.Generator) -> NDArray[np.float32]:
    """A part (h, w, 3) of a photograph, at some size."""
    h, w = photograph.shape[:2]
    share = min(1.0, float(rng.choice(LONG_SIDES)) / max(h, w))
    small = cv2.resize(photograph, (round(w * share), round(h * share)), interpolation=cv2.INTER_AREA)
    y, x = (int(rng.integers(0, max(1, n - SIDE + 1))) for n in small.shape[:2])
    return np.ascontiguousarray(small.reshape(*small.shape[:2], -1)[y : y + SIDE, x : x + SIDE], np.float32)


def spoilt(part: NDArray, rng: np.random.Generator) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """A part with noise and marks, and which mark covers each pixel."""
    other = rng.random()
    clean = baited(part, rng) if other < 0.45 else starry(part, rng) if other < 0.52 else part
    noise = rng.normal(0, 1, clean.shape)
    if rng.random() < 0.3:
        noise = ndimage.gaussian_filter(noise, (0.6, 0.6, 0))
        noise /= noise.std()
    if rng.random() < 0.15:
        clean = np.repeat(clean.mean(2, keepdims=True), 3, 2)
        noise = np.repeat(noise[..., :1], 3, 2)
    clean = np.clip(clean + rng.choice(SIGMAS) / 255 * noise, 0, 1)
    sizes = Sizes(
        spot=(1.0, rng.uniform(3, 7)), hair=(15, 90), hair_width=(0.9, 2.6), hair_bend=rng.uniform(0.02, 0.1),
        scratch=(25, 220), scratch_width=(0.7, 2.0), contrast=(0.08, 0.45), dark=rng.uniform(0.3, 1),
    )  # fmt: skip
    out, labels = marked(clean, rng, int(rng.choice(MARKS)), sizes, 0.15 * (rng.random() < 0.4))
    if rng.random() < 0.25:
        steps = np.rint(255 * out[..., ::-1]).astype(np.uint8)
        packed = cv2.imencode(".jpg", steps, [cv2.IMWRITE_JPEG_QUALITY, int(rng.choice([25, 50, 80, 90, 95]))])[1]
        out = cv2.imdecode(packed, cv2.IMREAD_COLOR)[..., ::-1].astype(np.float32) / 255
    return np.ascontiguousarray(out), labels


def rows_of(pixels: NDArray[np.float32], labels: NDArray[np.int32]) -> Rows:
    """All candidates of a picture whose marks are known."""
    found = find_in(pixels)
    near = cv2.dilate((labels > 0).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    on = np.concatenate([[0], np.cumsum(near[tuple(found.pixels.T)])])
    area = np.diff(found.first)
    return Rows(found.told, np.diff(on[found.first]) > INSIDE * area, area)


def rows_from(path: Path, number: int) -> Rows:
    photograph = np.asarray(open_picture(path).pixels, np.float32)
    rng = np.random.default_rng((number, sum(map(ord, path.name))))
    return rows_of(*spoilt(part_of(photograph[..., :3], rng), rng))


def weights(rows: Rows) -> NDArray[np.floating]:
    """How much each row counts: marks once, all else by its area."""
    return np.where(rows.is_mark, 1.0, np.clip(rows.area / USUAL_AREA, *WEIGHTS))


def grown(rows: Rows) -> Forest:
    """Trees from rows."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    model = HistGradientBoostingClassifier(**TREES, random_state=0)
    return packed(model.fit(rows.told, rows.is_mark, sample_weight=weights(rows)))


def packed(model: Any) -> Forest:
    """The trees of a fitted model, all their nodes in one row."""
    trees = [stage[0].nodes for stage in model._predictors]
    first = np.concatenate([[0], np.cumsum([len(t) for t in trees])]).astype(np.int32)
    nodes = np.concatenate(trees)
    leaf = nodes["is_leaf"] > 0
    start = np.repeat(first[:-1], np.diff(first))
    return Forest(
        roots=first[:-1],
        figure=np.where(leaf, -1, nodes["feature_idx"]).astype(np.int32),
        limit=np.where(leaf, 0, nodes["num_threshold"]).astype(np.float32),
        lesser=np.where(leaf, 0, nodes["left"] + start).astype(np.int32),
        greater=np.where(leaf, 0, nodes["right"] + start).astype(np.int32),
        value=np.where(leaf, nodes["value"], 0).astype(np.float32),
        base=float(np.ravel(model._baseline_prediction)[0]),
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--to", type=Path, default=LEARNT)
    asked = parser.parse_args()
    paths = sorted(p for p in asked.folder.rglob("*") if p.suffix.lower() in (".jpg", ".png", ".tif"))
    with ProcessPoolExecutor(WORKERS) as pool:
        parts = [r for n in range(PARTS) for r in pool.map(partial(rows_from, number=n), paths)]
    rows = Rows(*(np.concatenate(column) for column in zip(*parts, strict=True)))
    print(f"{len(paths)} photographs, {len(rows.told)} candidates, {int(rows.is_mark.sum())} of them marks")
    grown(rows).save(asked.to)


if __name__ == "__main__":
    main()
