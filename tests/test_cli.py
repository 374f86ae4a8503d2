"""The command line, called as a person calls it."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import tifffile

from dustpan.core.files import open_picture, save_picture
from dustpan.core.jobs import one
from dustpan.core.picture import Depth, Picture, from_array, to_samples
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step, save_sweep
from dustpan.demo import PICTURES
from dustpan.demo.exposures import Night, about, take
from dustpan.demo.frames import write_fits
from tests.core.files.make import fits, jpeg, write

Run = Callable[..., tuple[int, str, str]]


@pytest.fixture
def run(command_line: Run) -> Run:
    return command_line


@pytest.fixture
def file(tmp_path: Path, noisy: np.ndarray) -> Path:
    path = tmp_path / "lamp.tif"
    save_picture(from_array(np.rint(noisy * 65535).astype(np.uint16)), path)
    return path


def test_measure(run: Run, file: Path) -> None:
    code, out, _ = run("measure", file, "--json")
    found = json.loads(out)["noise_print"]
    assert code == 0
    assert set(found["sigma"]) == {"red", "green", "blue", "luminance", "colour"}
    assert found["sentence"].endswith(".")
    code, out, _ = run("measure", file)
    assert "noise in" in out.splitlines()[0]
    assert len(out.splitlines()) > 5


def test_steps(run: Run) -> None:
    found = json.loads(run("steps", "--json")[1])["steps"]
    assert [s["id"] for s in found] == [
        *("hot-pixels", "fireflies", "stripes", "develop", "compression-marks", "colour-fringes", "specks", "haze"),
        *(
            "noise",
            "neutral-blacks",
            "deblur",
            "edge-sharpen",
            "fine-detail",
            "local-contrast",
            "soften",
            "tone",
            "grain",
        ),
    ]
    assert "halo_light" in found[11]["params"]["properties"]
    assert "give_back = 0 %" in run("steps")[1]


@pytest.mark.slow
def test_clean_writes_what_the_core_computes(run: Run, file: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.tif"
    step = ["--step", "noise:luminance=0.8,colour=1.2", "--step", "edge-sharpen:amount=2"]
    code, text, _ = run("clean", file, "--out", out, *step, "--json")
    assert code == 0
    assert json.loads(text)["failed"] == 0
    sweep = Sweep((make_step("noise", {"luminance": 0.8, "colour": 1.2}), make_step("edge-sharpen", {"amount": 2})))
    with Renderer(open_picture(file)) as r:
        expected = to_samples(r.render(sweep), Depth.SIXTEEN)
    assert np.array_equal(tifffile.imread(out), expected)


@pytest.mark.slow
def test_clean_without_recipe_or_step_uses_what_is_suggested(run: Run, file: Path, tmp_path: Path) -> None:
    _, text, err = run("clean", file, "--out", tmp_path / "a.tif", "--json")
    found = json.loads(text)["results"][0]
    assert found["why"] == json.loads(run("suggest", file, "--json")[1])["why"]
    assert found["why"] in err
    strengths = {n: found["steps"][0]["params"][n] for n in ("luminance", "colour")}
    assert 0.5 < strengths["luminance"] < 1
    step = "noise:" + ",".join(f"{n}={v}" for n, v in strengths.items())
    run("clean", file, "--out", tmp_path / "b.tif", "--step", step, "--threads", "1")
    assert (tmp_path / "a.tif").read_bytes() == (tmp_path / "b.tif").read_bytes()


def test_clean_with_a_recipe(run: Run, file: Path, tmp_path: Path) -> None:
    off = make_step("noise")
    from dataclasses import replace

    save_sweep(Sweep((replace(off, on=False),)), tmp_path / "off.json")
    assert run("clean", file, "--out", tmp_path / "same.tif", "--recipe", tmp_path / "off.json")[0] == 0
    assert np.array_equal(tifffile.imread(tmp_path / "same.tif"), tifffile.imread(file))
    unknown = {"dustpan_sweep": 1, "steps": [{"step": "moon-dust"}]}
    (tmp_path / "new.json").write_text(json.dumps(unknown))
    code, _, err = run("clean", file, "--out", tmp_path / "same.tif", "--recipe", tmp_path / "new.json")
    assert code == 0
    assert "“moon-dust” was left out" in err


@pytest.mark.slow
def test_into_a_folder_name_format_and_depth_stay(run: Run, file: Path, tmp_path: Path) -> None:
    write(tmp_path, "card.jpg", jpeg())
    code, *_ = run("clean", file, tmp_path / "card.jpg", "--out", tmp_path / "done")
    assert code == 0
    assert open_picture(tmp_path / "done" / "lamp.tif").depth is Depth.SIXTEEN
    assert open_picture(tmp_path / "done" / "card.jpg").source.format == "JPEG"


@pytest.mark.slow
def test_the_input_is_never_written_over_unless_asked(run: Run, file: Path, tmp_path: Path) -> None:
    before = file.read_bytes()
    code, _, err = run("clean", file, "--out", file)
    assert (code, file.read_bytes()) == (1, before)
    assert "lamp.tif: it is the picture itself" in err
    link = tmp_path / "link.tif"
    link.symlink_to(file)
    assert run("clean", file, "--out", link)[0] == 1
    assert file.read_bytes() == before
    assert run("clean", file, "--in-place")[0] == 0
    assert file.read_bytes() != before


@pytest.mark.slow
def test_one_bad_file_of_several_does_not_stop_the_rest(run: Run, file: Path, tmp_path: Path) -> None:
    bad = write(tmp_path, "bad.tif", file.read_bytes()[:5000])
    code, out, err = run("clean", bad, tmp_path / "gone.tif", file, "--out", tmp_path / "done", "--json")
    results = json.loads(out)["results"]
    assert code == 1
    assert [("error" in r) for r in results] == [True, True, False]
    assert "bad.tif: " in err
    assert sorted(p.name for p in (tmp_path / "done").iterdir()) == ["lamp.tif"]


@pytest.mark.slow
def test_verdict(run: Run, file: Path, tmp_path: Path, truth: np.ndarray) -> None:
    run("clean", file, "--out", tmp_path / "out.tif")
    save_picture(from_array(np.rint(truth * 65535).astype(np.uint16)), tmp_path / "truth.tif")
    code, out, _ = run("verdict", file, tmp_path / "out.tif", "--truth", tmp_path / "truth.tif", "--json")
    found = json.loads(out)
    assert code == 0
    assert set(found) == {
        "noise_left", "texture_kept", "halo_height", "edge_width_before", "edge_width_after", "mean_moved", "clipped",
        "grain_raised",
            "psnr", "ssim",
    }  # fmt: skip
    assert found["noise_left"] == pytest.approx(20, abs=4)
    assert found["psnr"] > 30
    assert "noise left" in run("verdict", file, tmp_path / "out.tif")[1]
    code, _, err = run("verdict", file, write(tmp_path, "small.jpg", jpeg()))
    assert code == 1
    assert "small.jpg: it does not have the size" in err


@pytest.mark.parametrize(
    "words",
    [
        ("clean", "x.tif"), ("clean", "x.tif", "--out", "y.tif", "--step", "dust"), ("frobnicate",), ("measure",),
        ("clean", "x.tif", "--out", "y.tif", "--step", "noise:loud=3"), ("clean", "--out", "y.tif"),
        ("clean", "x.tif", "--out", "y.tif", "--depth", "12"), ("verdict", "x.tif"),
        ("clean", "x.tif", "--out", "y.tif", "--recipe", "a.json", "--step", "noise"),
        ("batch", "x.tif", "--taken", "ask"), ("batch", "--watch", "--resume"), ("recipes", "--loud"),
    ],
)  # fmt: skip
def test_wrong_use_is_exit_code_2(run: Run, words: tuple) -> None:
    code, out, err = run(*words)
    assert code == 2
    assert out == ""
    assert err.strip()
    assert "Traceback" not in err


def test_missing_files_and_a_damaged_recipe_are_exit_code_1(run: Run, file: Path, tmp_path: Path) -> None:
    for words in (("measure", tmp_path / "gone.tif"), ("verdict", file, tmp_path / "gone.tif")):
        code, _, err = run(*words)
        assert (code, "gone.tif: there is no such file." in err) == (1, True)
    recipe = write(tmp_path, "r.json", b"{")
    code, _, err = run("clean", file, "--out", tmp_path / "o.tif", "--recipe", recipe)
    assert code == 1
    assert err.startswith("r.json: the sweep file is damaged")
    assert not (tmp_path / "o.tif").exists()


@pytest.mark.slow
def test_no_half_written_output_on_a_full_disk(
    run: Run, file: Path, tmp_path: Path, full_disk: Callable[[], None], left_behind: Callable[[], list[str]]
) -> None:
    full_disk()
    code, _, err = run("clean", file, "--out", tmp_path / "out.tif")
    assert code == 1
    assert "out.tif: it could not be written: the disk is full" in err
    assert not (tmp_path / "out.tif").exists()
    assert left_behind() == []


def test_demo_data(run: Run, tmp_path: Path, small_demo: None) -> None:
    code, out, _ = run("demo-data", tmp_path / "made")
    assert code == 0
    names = sorted(p.name for p in (tmp_path / "made").iterdir() if p.is_file())
    assert [n for n in names if not n.endswith(".json")] == sorted(PICTURES)
    assert len(out.splitlines()) == len(PICTURES) + 11
    assert (tmp_path / "made" / "truth" / "keepers-desk-truth.tif").is_file()
    code, _, err = run("demo-data", "/proc/nowhere")
    assert code == 1
    assert "the folder could not be made" in err


@pytest.mark.slow
def test_the_program_starts_by_itself() -> None:
    found = subprocess.run([sys.executable, "-m", "dustpan", "--version"], capture_output=True, text=True, check=False)
    assert (found.returncode, found.stdout.split()[0]) == (0, "dustpan")


# ---------------------------------------------------------------- several pictures, finding, the curve


def test_two_pictures_of_one_name_are_refused_before_anything_is_written(run: Run, file: Path, tmp_path: Path) -> None:
    for name in ("a", "b"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "x.tif").write_bytes(file.read_bytes())
    code, _, err = run("clean", tmp_path / "a" / "x.tif", tmp_path / "b" / "x.tif", "--out", tmp_path / "out")
    assert code == 2
    assert "would both be written to" in err
    assert not (tmp_path / "out").exists()


def test_a_picture_that_a_step_cannot_work_on_does_not_end_the_run(
    run: Run, file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A step that takes colour alone, a grey picture before a coloured one."""
    from dataclasses import replace

    from dustpan.core import steps, sweep
    from dustpan.core.noise.grain import GRAIN
    from dustpan.core.picture import Kind

    coloured = replace(GRAIN, takes=frozenset({Kind.RGB}))
    changed = tuple(coloured if k is GRAIN else k for k in steps.STEPS)
    monkeypatch.setattr(steps, "STEPS", changed)
    monkeypatch.setattr(sweep, "STEPS", changed)
    grey = tmp_path / "grey.tif"
    save_picture(from_array(np.zeros((40, 50), np.uint8)), grey)
    code, out, err = run("clean", grey, file, "--out", tmp_path / "out", "--step", "grain", "--json")
    assert code == 1
    results = json.loads(out)["results"]
    assert "Grain does not work on a picture of this kind (mono)" in results[0]["error"]
    assert results[0]["error"] in err
    assert results[1]["out"] == str(tmp_path / "out" / "lamp.tif")


@pytest.mark.slow
def test_stars_are_found(run: Run, tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    sky = 0.08 + 0.01 * rng.standard_normal((300, 400))
    places = [(int(y), int(x)) for y, x in zip(rng.integers(20, 280, 60), rng.integers(20, 380, 60), strict=True)]
    y, x = np.mgrid[0:300, 0:400]
    for k, (cy, cx) in enumerate(places):
        sky += (0.2 + 0.01 * k) * np.exp(-((y - cy) ** 2 + (x - cx) ** 2) / 3)
    path = tmp_path / "sky.tif"
    save_picture(from_array(np.clip(sky, 0, 1).astype(np.float32)), path)
    code, out, _ = run("find", path, "--json")
    found = json.loads(out)["found"]["stars"]
    assert code == 0
    assert found["count"] == len(found["hits"]) == len(found["scores"]) > 40
    assert found["scores"] == sorted(found["scores"])
    near = [min(abs(hx - cx) + abs(hy - cy) for cy, cx in places) for hx, hy in found["hits"]]
    assert np.median(near) <= 1
    code, out, _ = run("find", path, "--step", "stars")
    assert out.startswith(f"Stars: {found['count']}")
    code, _, err = run("find", path, "--step", "unicorns")
    assert code == 2
    assert "stars" in err


@pytest.mark.slow
def test_nothing_found_is_an_ordinary_answer(run: Run, file: Path) -> None:
    code, out, _ = run("find", file, "--json")
    assert code == 0
    assert json.loads(out)["found"]["stars"] == {"count": 0, "hits": [], "scores": [], "unit": "σ above the sky"}


@pytest.mark.slow
def test_values_can_be_said_to_be_scene_linear(run: Run, tmp_path: Path) -> None:
    from dustpan.core.colour import decode, encode
    from tests.scenes import desk, noisy_b

    light = decode(noisy_b(desk())[1]).astype(np.float32)
    path = tmp_path / "light.tif"
    tifffile.imwrite(path, light, photometric="rgb")
    told = json.loads(run("measure", path, "--scene-linear", "--json")[1])
    assert told["scene_linear"] is True
    assert json.loads(run("measure", path, "--json")[1])["scene_linear"] is False
    encoded = tmp_path / "encoded.tif"
    save_picture(from_array(encode(light).astype(np.float32)), encoded)
    same = json.loads(run("measure", encoded, "--json")[1])
    assert told["noise_print"]["sigma"]["red"] == pytest.approx(same["noise_print"]["sigma"]["red"], rel=1e-3)
    out = tmp_path / "out.tif"
    assert run("clean", path, "--out", out, "--scene-linear", "--step", "noise")[0] == 0
    clean, noisy, truth = tifffile.imread(out), light, decode(noisy_b(desk())[0])
    errors = [float(np.mean((encode(p) - encode(truth)) ** 2)) for p in (clean, noisy)]
    assert errors[0] < 0.2 * errors[1]


ODD = "la\nmp\x1b[31m.tif"


@pytest.mark.slow
def test_control_characters_in_a_name_are_shown_escaped(run: Run, file: Path, tmp_path: Path) -> None:
    odd = file.rename(tmp_path / ODD)
    said = [run("measure", odd), run("clean", odd, "-o", tmp_path / "out.tif"), run("verdict", odd, odd)]
    said += [run("measure", tmp_path / ("no " + ODD))]
    for _code, out, err in said:
        assert "\x1b" not in out + err
        assert "la\nmp" not in out + err
    for _code, out, err in (said[1], said[3]):
        assert "la\\nmp" in out + err
    assert said[1][0] == 0


@pytest.mark.slow
def test_a_name_that_is_not_utf_8_works_to_the_end(run: Run, file: Path, tmp_path: Path) -> None:
    odd = file.rename(tmp_path / b"la\xffmp.tif".decode("utf-8", "surrogateescape"))
    target = tmp_path / b"out\xfe.tif".decode("utf-8", "surrogateescape")
    assert run("clean", odd, "-o", target)[0] == 0
    assert target.exists()


@pytest.mark.slow
def test_any_failure_of_one_file_ends_that_file_only(
    run: Run, file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    other = tmp_path / "other.tif"
    other.write_bytes(file.read_bytes())
    real = one.open_picture

    def sometimes(path: Path, *how: bool | None) -> Picture:
        if path == file:
            raise RecursionError("too deep")
        return real(path, *how)

    monkeypatch.setattr(one, "open_picture", sometimes)
    code, _out, err = run("clean", file, other, "--out", tmp_path / "out", "--step", "noise:luminance=0.5")
    assert code == 1
    assert "lamp.tif" in err
    assert "Traceback" not in err
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["other.tif"]


def test_a_mask_is_written_as_a_grey_picture(run: Run, file: Path, tmp_path: Path) -> None:
    together, apart = tmp_path / "together.png", tmp_path / "apart.tif"
    parts = ["@ellipse:x=60,y=50,across=50,down=40", "+tones", "-tones:from=0.9,to=1"]
    code, out, _ = run("mask", file, " ".join(parts), "--out", together, "--json")
    assert code == 0
    assert 0 < json.loads(out)["covered"] < 1
    assert run("mask", file, *parts, "--out", apart)[0] == 0
    first, second = open_picture(together), open_picture(apart)
    assert first.depth.value == second.depth.value
    assert first.pixels.shape[2] == 1
    assert np.array_equal(first.pixels, second.pixels)
    assert run("mask", file, "ellipse", "--out", apart)[0] == 2
    assert run("mask", file, "@moon", "--out", apart)[0] == 2


@pytest.mark.slow
def test_a_step_is_limited_on_the_command_line(run: Run, file: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.tif"
    step = "noise:luminance=1,opacity=0.5 @gradient:ends=20/40;60/40 -ellipse:x=30,y=20,across=10,down=10"
    assert run("clean", file, "--out", out, "--step", step)[0] == 0
    before, after = open_picture(file).pixels, open_picture(out).pixels
    assert np.allclose(before[-3:], after[-3:], atol=1e-4)
    assert not np.allclose(before[:8], after[:8], atol=1e-3)


def test_several_dark_frames_make_one_map_of_what_most_of_them_hold(run: Run, tmp_path: Path) -> None:
    darks = []
    for n in range(3):
        values = np.random.default_rng(n).normal(900, 20, (120, 160))
        values[40, 50] += 4000  # of the sensor
        values[60, 20 + 30 * n] += 4000  # a cosmic ray, in this one only
        darks.append(str(write(tmp_path, f"dark{n}.fits", fits(values.astype(np.uint16)))))
    code, _, told = run("find", *darks, "--step", "hot-pixels", "--map", str(tmp_path / "own.json"))
    assert code == 0
    assert "dark2.fits: 1" in told
    assert json.loads((tmp_path / "own.json").read_text())["pixels"] == [[50, 40]]
    assert run("find", *darks)[0] == 2
    other = write(tmp_path, "other.fits", fits(np.full((60, 80), 900, np.uint16)))
    assert run("find", darks[0], str(other), "--step", "hot-pixels", "--map", str(tmp_path / "x.json"))[0] == 2


def test_a_defect_map_is_written_and_used(run: Run, tmp_path: Path) -> None:
    values = np.random.default_rng(3).normal(900, 20, (120, 160))
    values[40, 50] += 4000
    dark = write(tmp_path, "dark.fits", fits(values.astype(np.uint16)))
    map_file = tmp_path / "camera.json"
    code, _, told = run("find", str(dark), "--step", "hot-pixels", "--map", str(map_file))
    assert code == 0
    assert "bad pixels of dark.fits: 1" in told
    assert [50, 40] in json.loads(map_file.read_text())["pixels"]
    other = write(tmp_path, "other.fits", fits(np.full((120, 160), 900, np.uint16)))
    out = tmp_path / "out.fits"
    assert run("clean", str(other), "--step", "hot-pixels", "--map", str(map_file), "--out", str(out))[0] == 0
    small = write(tmp_path, "small.fits", fits(np.full((60, 60), 900, np.uint16)))
    code, _, told = run("clean", str(small), "--step", "hot-pixels", "--map", str(map_file), "--out", str(out))
    assert code == 1
    assert "160 × 120 px" in told
    assert run("find", str(dark), "--step", "stripes", "--map", str(map_file))[0] != 0


@pytest.mark.slow
def test_a_batch_says_what_it_would_write_does_it_and_is_gone_on_with(run: Run, file: Path, tmp_path: Path) -> None:
    out, torn = tmp_path / "done", tmp_path / "torn.tif"
    whole = file.read_bytes()
    torn.write_bytes(whole[:900])
    words = ("batch", file, torn, "--out", out, "--step", "noise:quality=quick", "--name", "{number} {name}")
    code, told, _ = run(*words, "--dry-run")
    assert (code, out.exists()) == (0, False)
    assert "lamp.tif → " in told
    assert "2 torn.tif" in told
    code, told, err = run(*words, "--json")
    found = json.loads(told)
    assert (code, found["failed"]) == (1, 1)
    assert (out / "1 lamp.tif").exists()
    assert "1 done, 1 failed." in err
    torn.write_bytes(whole)
    code, _, err = run("batch", "--resume", "--out", out)
    assert code == 0
    assert "1 done." in err
    assert (out / "2 torn.tif").read_bytes() == (out / "1 lamp.tif").read_bytes()


@pytest.fixture
def night(tmp_path: Path) -> list[Path]:
    """Three exposures of a small field with one cut off, and one of another size."""
    taken = take(Night(size=(200, 240), count=4, stars=60, cloud=None, out_of_focus=None, satellites=(1,)))
    paths = [tmp_path / f"exposure{n}.fits" for n in range(6)]
    for n, counts in enumerate(taken.counts):
        write_fits(paths[n], counts, about(Night(), n))
    paths[4].write_bytes(paths[0].read_bytes()[:40_000])
    write_fits(paths[5], taken.counts[0][:90], {})
    return paths


def test_stack(run: Run, night: list[Path], tmp_path: Path) -> None:
    out = tmp_path / "stack.fits"
    code, told, said = run("stack", *night, "--out", out, "--save-aligned", tmp_path / "aligned", "--json")
    found = json.loads(told)
    assert code == 1  # two of them are of no use
    assert [f["file"] for f in found["frames"]] == [str(p) for p in night]
    assert [bool(f["left_out"]) for f in found["frames"]] == [False] * 4 + [True] * 2
    assert found["noise"]["result"] < 0.6 * found["noise"]["one"]
    assert found["combine"] == "model:3.5"
    assert "exposure4.fits" in said
    assert "90" in found["frames"][5]["left_out"]
    assert open_picture(out).size == (200, 240)
    assert len(list((tmp_path / "aligned").iterdir())) == 4
    again = json.loads(run("stack", *night[:4], "--out", tmp_path / "again.tif", "--combine", "suggested", "--json")[1])
    assert again["combine"].startswith(("trim", "median"))
    assert again["why"]


def test_stack_takes_several_frames_of_a_sensor_after_one_option(run: Run, night: list[Path], tmp_path: Path) -> None:
    for n in range(3):
        dark = np.random.default_rng(n).normal(500, 6, (200, 240))
        write_fits(tmp_path / f"dark{n}.fits", np.rint(dark).astype(np.uint16), {"EXPTIME": 30.0})
    darks = [tmp_path / f"dark{n}.fits" for n in range(3)]
    code, told, said = run("stack", *night[:4], "--dark", *darks, "--out", tmp_path / "a.fits", "--json")
    assert code == 0, said
    assert json.loads(told)["frames"][0]["sky"] < 450
    one_each = [text for d in darks for text in ("--dark", d)]
    code, told, _ = run("stack", *one_each, *night[:4], "--out", tmp_path / "b.fits", "--leave-out", 2, "--json")
    assert code == 0
    assert json.loads(told)["frames"][1]["left_out"] == "by hand"


@pytest.mark.parametrize(
    "wrong",
    [
        ("--align", "magic"),
        ("--combine", "trim:9"),
        ("--point", "1,2"),
        ("--point", "1.2.3,2:3,4"),
        ("--leave-out", 9),
        ("--depth", "12"),
    ],
)
def test_stack_refuses_what_makes_no_sense(run: Run, night: list[Path], tmp_path: Path, wrong: tuple) -> None:
    code, _, said = run("stack", *night[:2], "--out", tmp_path / "a.fits", *wrong)
    assert code == 2
    assert len(said.strip().splitlines()) == 1
    assert not (tmp_path / "a.fits").exists()


def test_stack_into_a_format_that_is_not_known(run: Run, night: list[Path], tmp_path: Path) -> None:
    code, _, said = run("stack", *night[:2], "--out", tmp_path / "a.xyz")
    assert code == 1
    assert "ending" in said
