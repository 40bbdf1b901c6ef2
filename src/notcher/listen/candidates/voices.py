"""Strings that sound together: what else begins where a string is struck, and the second string's own contour.

At each strike the spectrum just after it is compared with the one just before, so that what still rings does not
count. What grew is explained by one pitch after another, the loudest first: its partials are taken away, and what is
left may be another string (iterative cancellation; after Klapuri 2003, "Multiple fundamental frequency estimation
based on harmonicity and spectral smoothness").
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio.recording import FloatArray
from notcher.listen.frames.spectrum import LOW_RATE

# MIDI: from the low E to the 24th fret.
LOWEST, HIGHEST = 40, 88
# Samples at LOW_RATE: 93 ms, padded fourfold so that peaks are read between the bins.
WINDOW = 2048
_PADDED = 8192
_BIN_HZ = LOW_RATE / _PADDED
# Seconds after and before a strike at which the windows stand: clear of the pick's noise.
AFTER_S, BEFORE_S = 0.012, 0.010
# Looked at of each pitch, up to so many Hz, where a string's partials are still near their places.
_PARTIALS = 9
_HIGHEST_HZ = 5000.0
# Cents around a partial in which it is looked for: strings are out of tune and stiff.
_NEAR_CENTS = 28.0
# Hz around a found pitch's partials that are taken out: the window's half width.
_TAKEN_HZ = 23.0


@dataclass(frozen=True, slots=True)
class NewPitch:
    """A pitch that may have begun at a strike.

    pitch: MIDI (offset taken out); rank: 0 for the first found. strength: of what grew at its partials, once those
    found before it are taken away; level: of what is there at its partials, both against the contour's pitch; growth:
    share of that which is new; fundamental: its first partial against its strongest; share: of its partials that are
    there.
    """

    pitch: int
    rank: int
    strength: float
    level: float
    growth: float
    fundamental: float
    share: float


def spectrum_at(sound: FloatArray) -> NDArray[np.float64]:
    """Square root of the magnitude spectrum of one window of sound at LOW_RATE, shape (_PADDED // 2 + 1,)."""
    from scipy import fft

    return np.asarray(np.sqrt(np.abs(fft.rfft(sound * np.hanning(len(sound)), _PADDED))), dtype=np.float64)


def partials_of(
    spectrum: NDArray[np.float64], hz: NDArray[np.float64], cents: float = _NEAR_CENTS
) -> NDArray[np.float64]:
    """The largest value near each of the first partials of each fundamental, shape (n, _PARTIALS); hz: shape (n,)."""
    k = np.arange(1, _PARTIALS + 1)
    centre = hz[:, None] * k[None, :]
    around = centre[:, :, None] * 2.0 ** (np.linspace(-cents, cents, 9) / 1200.0)
    at = np.clip(np.round(around / _BIN_HZ).astype(int), 0, len(spectrum) - 1)
    values = spectrum[at].max(axis=2)
    return np.where(centre < _HIGHEST_HZ, values, np.nan)


def without(spectrum: NDArray[np.float64], hz: float) -> NDArray[np.float64]:
    """The spectrum with the partials of a fundamental taken away. spectrum: magnitudes, shape (bins,)."""
    out = spectrum.copy()
    width = _TAKEN_HZ / _BIN_HZ
    for k in range(1, int(_HIGHEST_HZ / hz) + 2):
        centre = k * hz / _BIN_HZ
        out[max(0, int(centre - width)) : int(centre + width) + 1] = 0.0
    return out


def _weighted(values: NDArray[np.float64]) -> NDArray[np.float64]:
    # Partials beyond the band count as missing: one loud partial alone must not look like a high note.
    weights = 0.87 ** np.arange(values.shape[-1])
    return np.asarray((np.nan_to_num(values) * weights).sum(axis=-1) / weights.sum())


@dataclass(frozen=True, eq=False)
class StrikeSpectra:
    """The spectrum just after a strike, and what of it was not there before; square roots of magnitudes."""

    late: NDArray[np.float64]
    grown: NDArray[np.float64]
    offset_cents: float

    @classmethod
    def at(cls, before: FloatArray, after: FloatArray, offset_cents: float) -> "StrikeSpectra":
        """before, after: sound at LOW_RATE, shape (n,)."""
        late, early = spectrum_at(after), spectrum_at(before)
        return cls(late, np.maximum(late - 0.9 * early, 0.0), offset_cents)

    def hz(self, pitch: float) -> float:
        """Frequency of a MIDI pitch in this recording."""
        return float(440.0 * 2.0 ** ((pitch - 69 + self.offset_cents / 100) / 12))

    def level(self, pitch: float) -> float:
        """How much of this pitch is there."""
        return float(_weighted(partials_of(self.late, np.array([self.hz(pitch)])))[0])

    def growth(self, pitch: float) -> float:
        """How much of this pitch is new, against what of it is there, 0 to 1."""
        return float(_weighted(partials_of(self.grown, np.array([self.hz(pitch)])))[0]) / (self.level(pitch) + 1e-12)


def new_pitches(spectra: StrikeSpectra, *, known: float | None = None, most: int = 3) -> list[NewPitch]:
    """Pitches that are in the sound after a strike and were not before it, the strongest first.

    known: the MIDI pitch (offset taken out) that the contour has after the strike; it is explained first and never
    returned.
    """
    pitches = np.arange(LOWEST, HIGHEST + 1)
    hz = np.array([spectra.hz(int(p)) for p in pitches])
    rest_grown, rest = spectra.grown, spectra.late
    unit = float(np.max(_weighted(partials_of(rest, hz)))) + 1e-12
    if known is not None:
        unit = spectra.level(known) + 1e-12
        rest_grown, rest = without(rest_grown, spectra.hz(known)), without(rest, spectra.hz(known))
    out: list[NewPitch] = []
    for rank in range(most):
        values = partials_of(rest_grown, hz)
        there = partials_of(rest, hz)
        strength = _weighted(values) / unit
        best = _lowest_of_its_octaves(strength, values)
        present = np.nan_to_num(there[best, :6]) > 0.3 * np.nanmax(there[best, :6])
        pitch = int(pitches[best])
        whole = np.nan_to_num(partials_of(spectra.late, hz[best : best + 1])[0])
        fundamental = float(whole[0] / (np.max(whole) + 1e-12))
        level = spectra.level(pitch) / unit
        out.append(
            NewPitch(
                pitch, rank, float(strength[best]), level, spectra.growth(pitch), fundamental, float(np.mean(present))
            )
        )
        rest_grown, rest = without(rest_grown, float(hz[best])), without(rest, float(hz[best]))
    return out


def _lowest_of_its_octaves(strength: NDArray[np.float64], values: NDArray[np.float64]) -> int:
    """The strongest pitch, or the one an octave or twelfth below it whose own partials are there too."""
    best = int(np.argmax(strength))
    for down in (12, 19, 24):
        low = best - down
        if low < 0 or strength[low] < 0.72 * strength[best]:
            continue
        odd, even = np.nanmean(values[low, 0:6:2]), np.nanmean(values[low, 1:6:2])
        if odd > 0.45 * even and values[low, 0] > 0.25 * np.nanmax(values[low]):
            return low
    return best
