"""The noise print: what was measured, as figures and as a sentence."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import LUMA, opponent_matrix
from dustpan.core.curve import SRGB, Curve
from dustpan.core.language import capital, mark, say
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.noise.stabilise import Stabiliser, make_stabiliser
from dustpan.core.noise_of.places import Grid, Places

LEVELS = (np.arange(65) / 64) ** 1.5
LUMA_STEPS = 1024
CLEAN_SIGMA, NOISY_SIGMA = 2.2 / 255, 3.4 / 255
MONO_CLEAN, MONO_NOISY = 4.5 / 255, 7.0 / 255  # correlated, and the same in all channels
EVEN_FROM, EVEN_FULL = 0.25, 0.4
EVENER_FROM = 0.35  # where correlated noise is so weak that fine texture is as strong
WHITE_FROM, WHITE_FULL = 0.66, 0.76  # how white the finest detail of a render is, whose noise is believed
USUALLY_STRONGEST = 0.9  # quantile over the places of a render, whose noise says how much has to be done
SHARPENED = 1.25  # power at high over that at low frequencies, from which a picture was sharpened before
ALIKE_SHARE = 0.12  # power of the colour noise in that of luminance, up to which channels count as the same
CLUMPED = 2.0  # power at low over that at high frequencies, from which grain is soft
NAMES = (mark("red"), mark("green"), mark("blue"))
SCALE_NAMES = (mark("fine"), mark("medium"), mark("coarse"), mark("blotchy"))


@dataclass(frozen=True)
class ScaleNoise:
    """Noise in one octave: periods in px, sigma of luminance and colour in encoded values at the usual level."""

    name: str
    period: tuple[float, float]
    luminance: float
    colour: float


@dataclass(frozen=True, eq=False)
class InPasses:
    """What was measured of a render's passes: how white each is by place (`guides.Guides`).

    ``print`` : of the light that is divided by the albedo.
    """

    white: Mapping[str, Grid]
    print: NoisePrint


@dataclass(frozen=True, eq=False)
class NoisePrint:
    """The measured noise of a picture. Compared by identity, as it holds arrays.

    Attributes
    ----------
    noise : one model per channel (1 or 3).
    white : neighbouring pixels are independent of each other, and so are channels.
    spectrum : (C, 64) noise power of the stabilised opponent planes over the frequencies of an 8 x 8 DCT.
    cross : (64, C, C) cross-spectra of the same planes.
    usual : (C,) median level of the picture, encoded.
    range : 1st and 99th percentile of the luma.
    evenness : power of the quietest blocks relative to the print; below 0.3 the print saw texture, not noise. Of a
        render, how white its finest detail is, which texture is not.
    clipped : shares of the samples at 0 and at 1.
    doubts : reasons why the print may be wrong; empty when it is sure.
    scales : noise per octave; only a print `with_octaves` has them, and says whether the noise is blotchy.
    rise : power of the noise at high over that at low frequencies; more than 1 after sharpening.
    flips : whether the picture is turned upside down and left to right for measuring and cleaning, the same way
        however it was mirrored before.
    curve : how the picture's encoded values relate to light.
    on_sensor : it was measured on the sensor's samples and carried through development, so that it is known.
    any_strength : it counts however weak it is, for the values were scaled by it.
    places : where the picture's noise is stronger than this; None where it is nowhere known to be.
    in_passes : of a render, what of its passes is used; None where it has none.
    seems_joined : it looks like two pictures put together, whether that is proven or not.
    """

    noise: tuple[ChannelNoise, ...]
    white: bool
    spectrum: NDArray[np.float32]
    cross: NDArray[np.float64]
    usual: NDArray[np.float64]
    range: tuple[float, float]
    evenness: float
    clipped: tuple[float, float] = (0.0, 0.0)
    doubts: tuple[str, ...] = ()
    scales: tuple[ScaleNoise, ...] = field(default=())
    rise: float = 1.0
    flips: tuple[bool, bool] = (False, False)
    curve: Curve = SRGB
    on_sensor: bool = False
    any_strength: bool = False
    places: Places | None = None
    in_passes: InPasses | None = None
    seems_joined: bool = False

    @property
    def channels(self) -> int:
        return len(self.noise)

    @property
    def in_proportion(self) -> bool:
        """It is in proportion to the light, as in renders."""
        return self.noise[0].in_proportion

    @property
    def relative(self) -> float:
        """Usual sigma of the logarithm of light, of noise in proportion to it."""
        return self.noise[0].sigma * float(np.sqrt(self.spectrum.mean(1).sum() / self.channels))

    @cached_property
    def stabiliser(self) -> Stabiliser:
        return make_stabiliser(self.noise)

    @cached_property
    def correlation(self) -> NDArray[np.float64]:
        """(C, C) correlation of the noise between the channels."""
        opp = opponent_matrix(self.channels)
        cov = opp.T @ self.cross[1:].mean(0) @ opp
        d = np.sqrt(np.maximum(np.diag(cov), 1e-12))
        return cov / np.outer(d, d)

    @cached_property
    def luma_spectrum(self) -> NDArray[np.float32]:
        """(64,) power of the luma's noise over the frequencies of an 8 x 8 DCT, 1 in the mean."""
        if self.channels == 1:
            power = self.spectrum[0]
        else:
            sigma = [c.sigma_at(u) for c, u in zip(self.noise, self.usual, strict=True)]
            mixed = opponent_matrix(3) @ (LUMA * sigma)
            power = np.einsum("fij,i,j->f", self.cross, mixed, mixed)
        return (power / power[1:].mean()).astype(np.float32)

    @cached_property
    def luma_sigma(self) -> NDArray[np.float32]:
        """(LUMA_STEPS,) sigma of the luma of neutral greys from black to white."""
        return self.luminance_sigma(np.linspace(0, 1, LUMA_STEPS)).astype(np.float32)

    def channel_sigma(self, levels: NDArray) -> NDArray[np.float64]:
        """(C, n) sigma of the stored value of every channel where its mean is ``levels`` (encoded, 0 to 1)."""
        return np.stack([c.sigma_at(np.asarray(levels, float)) for c in self.noise])

    def luminance_sigma(self, levels: NDArray) -> NDArray[np.float64]:
        """Sigma of the luma on a neutral grey of these levels."""
        s = self.channel_sigma(levels)
        if self.channels == 1:
            return s[0]
        s = s * LUMA[:, None]
        return np.sqrt(np.einsum("in,jn,ij->n", s, s, self.correlation))

    def luminance_sigma_of(self, luma: NDArray, least: float = 0.0) -> NDArray[np.float64]:
        """Sigma of the luma at each of these luma values (of any shape), those beyond black and white as there."""
        grid, sigma = self._luma_grid
        return np.interp(np.clip(luma, 0, 1), grid, np.maximum(sigma, least))

    @cached_property
    def _luma_grid(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        grid = np.linspace(0, 1, 65)
        return grid, self.luminance_sigma(grid)

    def colour_sigma(self, levels: NDArray) -> NDArray[np.float64]:
        """RMS sigma of the two opponent colour planes on a neutral grey of these levels; 0 for mono."""
        s = self.channel_sigma(levels)
        if self.channels == 1:
            return np.zeros(s.shape[1])
        planes = opponent_matrix(3)[1:, :, None] * s
        return np.sqrt(np.einsum("kin,kjn,ij->n", planes, planes, self.correlation) / 2)

    @cached_property
    def strength(self) -> float:
        """Mean channel sigma at the picture's usual levels, encoded 0 to 1."""
        return float(np.mean([c.sigma_at(u) for c, u in zip(self.noise, self.usual, strict=True)]))

    def times(self, factor: float) -> NoisePrint:
        """The print of the same noise with another sigma."""
        variance = factor * factor
        noise = (replace(c, sigma=c.sigma * factor, gain=c.gain * variance, read=c.read * variance) for c in self.noise)
        inner = self.in_passes and replace(self.in_passes, print=self.in_passes.print.times(factor))
        return replace(self, noise=tuple(noise), in_passes=inner)

    def whitened(self) -> NoisePrint:
        """The print of noise as strong that is known to be white, whatever was in doubt about it."""
        cross = np.broadcast_to(self.cross[1:].mean(0), self.cross.shape)
        return replace(self, white=True, spectrum=np.ones_like(self.spectrum), cross=cross, doubts=())

    @property
    def alike(self) -> bool:
        """Correlated, and nearly the same in all channels."""
        if self.white or self.channels == 1:
            return not self.white
        return bool(self.spectrum[1:].mean() < ALIKE_SHARE * self.spectrum[0].mean())

    @property
    def fine(self) -> bool:
        """Luminance noise hardly differs in strength between low and high frequencies."""
        power = self.spectrum[0].reshape(8, 8)
        return self.white or bool(power[:4, :4].mean() < CLUMPED * power[4:, 4:].mean())

    @property
    def sharpened(self) -> bool:
        """The noise is stronger at high frequencies, as sharpening makes it."""
        return self.rise > SHARPENED

    @cached_property
    def trust(self) -> float:
        """How much of a correction this print deserves, 0 to 1.

        0 for a picture with hardly any noise or whose print is texture, 1 well above. Correlated noise that is the same
        in all channels did not come from a demosaic or from subsampled colour: fine texture and old scans look like
        that, so more of it is asked for. Weak noise that is correlated has to be more even, for the same reason.
        """
        return float(self.trust_at(1.0))

    def trust_at(self, times: NDArray[np.floating] | float) -> NDArray[np.floating] | float:
        """The trust where the noise was made so many times stronger since; never less than it deserves by itself."""
        if self.on_sensor:
            return 1.0
        if self.in_proportion:
            strongest = float(np.quantile(self.places.grid, USUALLY_STRONGEST)) if self.places else 1.0
            seen = (strongest * self.strength - CLEAN_SIGMA) / (NOISY_SIGMA - CLEAN_SIGMA)
            white = (self.evenness - WHITE_FROM) / (WHITE_FULL - WHITE_FROM)
            return float(min(np.clip(seen, 0, 1), np.clip(white, 0, 1)))
        low, high = (MONO_CLEAN, MONO_NOISY) if self.alike else (CLEAN_SIGMA, NOISY_SIGMA)
        stronger = self.strength * np.maximum(times, 1)
        by_sigma = 1.0 if self.any_strength else (stronger - low) / (high - low)
        weak = 0.0 if self.white else np.clip((MONO_NOISY - self.strength) / (MONO_NOISY - MONO_CLEAN), 0, 1)
        even = EVEN_FROM + weak * (EVENER_FROM - EVEN_FROM)
        by_evenness = (self.evenness - even) / (EVEN_FULL - even)
        return np.minimum(np.clip(by_sigma, 0, 1), np.clip(by_evenness, 0, 1))

    @property
    def clean(self) -> bool:
        """Nothing here needs noise reduction."""
        return self.trust == 0.0

    @property
    def sure(self) -> bool:
        return not self.doubts

    def sentence(self) -> str:
        """One plain sentence or two that sum the print up."""
        if self.doubts:
            return say("Not sure of the noise: {0}.", "; ".join(say(d) for d in self.doubts))
        if self.clean:
            words = "Hardly any noise ({0:.1f}/255): noise reduction will leave this picture alone."
            return say(words, 255 * self.strength)
        if self.on_sensor:
            return say("Measured on the sensor: {0}.", self._tone_words())
        if self.in_proportion:
            said = [say("noise of {0:.0f} % of the light, usually", 100 * self.relative)]
        else:
            said = [self._tone_words(), self._kind_words()]
        if self.places is not None:
            said.append(self.places.sentence())
        elif self.seems_joined:
            said.append(say("it looks as if it was put together from two pictures, but that is not proven"))
        return f"{capital('; '.join(said))}."

    @cached_property
    def _tones(self) -> NDArray[np.float64]:
        """(3,) sigma of 255 in the shadows, the middle tones and the highlights."""
        low, high = self.range
        levels = np.array([low + 0.1 * (high - low), (low + high) / 2, low + 0.9 * (high - low)])
        return 255 * self.channel_sigma(levels).mean(0)

    @cached_property
    def _noisiest(self) -> str:
        """The channel that is much noisier than the others; empty when none is."""
        s = np.array([float(c.sigma_at(np.array(u))) for c, u in zip(self.noise, self.usual, strict=True)])
        k = int(np.argmax(s))
        return NAMES[k] if s[k] > 1.25 * np.median(s) else ""

    def _tone_words(self) -> str:
        sigma = self._tones
        words = [_how_strong(s) for s in sigma]
        places = [say("in the shadows"), say("in the middle tones"), say("in the highlights")]
        if len(set(words)) == 1:
            return say("{0} noise in all tones", words[0])
        worst = int(np.argmax(sigma))
        text = say("{0} noise {1}", words[worst], places[worst])
        calm = int(np.argmin(sigma))
        return text if words[calm] == words[worst] else f"{text}, {words[calm]} {places[calm]}"

    def _kind_words(self) -> str:
        if self.sharpened:
            return say("brought out by sharpening that was done before")
        if self.channels == 1 or self.alike:
            return say("fine grain") if self.fine else say("soft, clumped grain")
        if self.white:
            text = say("fine, pixel by pixel")
        else:
            coarse = [s for s in self.scales if s.period[0] >= 8]
            fine = [s for s in self.scales if s.period[0] < 4]
            blotchy = bool(coarse and fine and max(s.colour for s in coarse) > 0.5 * fine[0].colour)
            text = say("soft, clumped by demosaicing, compression or earlier cleaning")
            text += "; " + say("coarse colour blotches") if blotchy else ""
        worst = self._noisiest
        return text + ("; " + say("{0} is the noisiest channel", say(worst)) if worst else "")

    def as_json(self) -> dict:
        """The ``noise_print`` object of ``dustpan measure --json``."""
        sigma = self.channel_sigma(LEVELS)
        names: Sequence[str] = NAMES if self.channels == 3 else ("luminance",)
        curves = {n: [round(float(v), 6) for v in s] for n, s in zip(names, sigma, strict=True)}
        curves["luminance"] = [round(float(v), 6) for v in self.luminance_sigma(LEVELS)]
        curves["colour"] = [round(float(v), 6) for v in self.colour_sigma(LEVELS)]
        if self.channels == 1:
            curves |= {n: curves["luminance"] for n in NAMES}
        return {
            "levels": [round(float(v), 6) for v in LEVELS],
            "sigma": curves,
            "scales": [
                {
                    "name": s.name,
                    "period_px": list(s.period),
                    "luminance": round(s.luminance, 6),
                    "colour": round(s.colour, 6),
                }
                for s in self.scales
            ],
            "white": self.white,
            "measured_on": "sensor" if self.on_sensor else "picture",
            "clean": self.clean,
            "sure": self.sure,
            "doubts": list(self.doubts),
            "by_place": None if self.places is None else round(self.places.times, 3),
            "sentence": self.sentence(),
        }


def _how_strong(sigma_255: float) -> str:
    words = (say("hardly any"), say("light"), say("clear"), say("strong"), say("very strong"))
    return words[bisect_right((1.5, 4, 9, 18), sigma_255)]
