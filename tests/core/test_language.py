"""Text in the person's language: the catalogues are complete, fit their sources, and are used."""

from __future__ import annotations

import errno
import re
from collections.abc import Iterator

import numpy as np
import pytest
from tools.languages import all_texts, updated

from dustpan.core.errors import FileProblem, WrongUse, os_reason
from dustpan.core.judge.verdict import Verdict
from dustpan.core.language import ENGLISH, FOLDER, catalogue, language, languages, say, use_language
from dustpan.core.noise.measure import measure
from dustpan.core.sweep import make_step

OTHERS = [c for c in languages() if c != ENGLISH]
PLACES = re.compile(r"\{[^}]*\}")


@pytest.fixture(autouse=True)
def english_again() -> Iterator[None]:
    yield
    use_language(ENGLISH)


def test_there_is_a_second_language() -> None:
    assert OTHERS


@pytest.mark.slow
@pytest.mark.parametrize("code", OTHERS)
def test_every_text_is_translated_and_nothing_else(code: str, request: pytest.FixtureRequest) -> None:
    """What has no translation yet is only told, but for a release (``--release``)."""
    text, missing = updated(code)
    known = catalogue(code)
    assert set(known) <= all_texts(), "python -m tools.languages takes out what nobody uses any more"
    assert len(known) > 350
    if request.config.getoption("--release"):
        assert missing == []
        assert (FOLDER / f"{code}.ts").read_text("utf-8") == text
    elif missing:
        print(f"{code}: no translation yet of {missing}")
        request.node.user_properties.append(("untranslated", f"{code}: {len(missing)} texts"))


@pytest.mark.parametrize("code", OTHERS)
def test_translations_keep_places_line_ends_and_marks(code: str) -> None:
    for source, text in catalogue(code).items():
        assert sorted(PLACES.findall(source)) == sorted(PLACES.findall(text)), source
        assert source.count("\n") == text.count("\n"), source
        assert source.count("&") == text.count("&"), source
        assert source.endswith("…") == text.endswith("…"), source
        assert (source[-1] == ".") == (text[-1] == "."), source


def test_sentences_of_the_core_follow_the_language() -> None:
    rng = np.random.default_rng(3)
    noise = measure(np.clip(0.5 + 0.06 * rng.standard_normal((256, 256, 3)), 0, 1).astype(np.float32))
    verdict = Verdict(12, None, 0.4, 2.1, 1.5)
    english = [noise.sentence(), verdict.sentence(), make_step("edge-sharpen").name, make_step("noise").summary]
    use_language("de")
    german = [noise.sentence(), verdict.sentence(), make_step("edge-sharpen").name, make_step("noise").summary]
    assert all(a != b for a, b in zip(english, german, strict=True))
    assert german[0].startswith("Starkes Rauschen in allen Tönen")
    assert german[1] == "Restrauschen 12 % · Textur behalten – % · Halos 0.4 % · Kanten 2.1 → 1.5 px"


def test_errors_follow_the_language() -> None:
    use_language("de")
    why = os_reason(OSError(errno.ENOSPC, "No space left on device"))
    assert str(FileProblem("a.png", "it could not be written: {0}; nothing was changed", why)) == (
        "a.png: sie konnte nicht geschrieben werden: der Datenträger ist voll; nichts wurde geändert."
    )
    with pytest.raises(WrongUse, match=r"Rauschen: luminance muss eine Zahl von 0 bis 4 ×Rauschen sein, nicht 9\."):
        make_step("noise", {"luminance": 9})


def test_unknown_languages_and_texts_stay_english() -> None:
    use_language("xx")
    assert language() == ENGLISH
    assert say("Noise") == "Noise"
    use_language("de")
    assert say("a text {nobody} knows") == "a text {nobody} knows"
