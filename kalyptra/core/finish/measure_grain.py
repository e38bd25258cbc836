"""Measuring the grain of a clip: how strong it is by tone, how its colours go together, and its spectrum.

Where the picture is flat, what is left of a block without its slope is grain (flat patches: X. Liu, M. Tanaka and M.
Okutomi, Single-Image Noise Level Estimation for Blind Denoising, 2013). How flat a block is, is judged by the frame
after it, whose grain is another: so no block is chosen for having little. Where nothing moves, the difference of the
two frames says it even in texture; it counts as far as the coder did not hold grain still.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kalyptra.core.finish.grain_field import AXES, power_at
from kalyptra.core.setup.document.finish import BANDS, GrainAtTone, MeasuredGrain

Codes = NDArray[np.uint8]
SIDE = 16
"""Px of a block in which strength is measured."""
WIDE = 32
"""Px of a block in which the spectrum is measured."""
TONES = 10
"""Tones that are told apart."""
CLIPPED = (4.0, 250.0)
"""Mean codes between which the camera clipped no grain away."""
FLATTEST = 0.2
"""Share of the blocks of a tone that counts as flat."""
LEAST_BLOCKS = 12
"""Flat blocks that a tone needs, to say anything."""
SAMPLE = 256
"""Px of a side of made grain on which it is seen how much of it blocks show."""
LEAST = 0.4
"""Codes of deviation that count as grain: rounding alone makes 0.29."""
MOST_BLOCKS = 400
"""Flat blocks whose spectra are averaged."""


class NoGrain(ValueError):
    """Grain cannot be measured here. The text says why."""


@dataclass(frozen=True)
class _Blocks:
    """Blocks of one frame and the next: (n, side * side, 3) residuals, and what is known of each channel, (n, 3)."""

    left: NDArray[np.float32]
    tone: NDArray[np.float32]
    flatness: NDArray[np.float32]
    """Variance in the next frame."""
    still: NDArray[np.float32]
    """Half the variance of the difference of the two frames."""


def measure_grain(pairs: Iterable[tuple[Codes, Codes]], first: int, last: int) -> MeasuredGrain:
    """Measure grain.

    Args:
        pairs: frames and the ones after them, (height, width, 3) codes of 8 bits at full size.
        first, last: the stretch that they are from.

    Raises:
        NoGrain: nothing is flat enough, or there is no grain.
    """
    small, wide = [], []
    for before, after in pairs:
        small.append(_blocks(before, after, SIDE))
        wide.append(_blocks(before, after, WIDE))
    if not small:
        raise NoGrain("grain is measured between frames. Choose at least two.")
    blocks, large = _joined(small), _joined(wide)
    if min(len(blocks.left), len(large.left)) < LEAST_BLOCKS:
        raise NoGrain("nothing in these frames is flat enough to measure grain on. Choose others.")
    measured = [_by_tone(blocks, channel) for channel in range(3)]
    if not all(measured):
        raise NoGrain("nothing in these frames is flat enough to measure grain on. Choose others.")
    if max(deviation for tones in measured for _, deviation in tones) < LEAST:
        raise NoGrain("these frames have no grain that could be measured: there is nothing to give back.")
    spectra = _spectra(large)
    shares = np.array([_share_left(spectrum) for spectrum in spectra])
    whole = np.sqrt(_more_in_large(large) * (AXES.T**2 @ (1 / shares))).tolist()
    channels = tuple(
        tuple(GrainAtTone(tone=round(at, 4), deviation=min(100.0, round(more * shown, 3))) for at, shown in tones)
        for more, tones in zip(whole, measured, strict=True)
    )
    return MeasuredGrain(channels=channels, together=_together(blocks), spectra=spectra, first=first, last=last)


def _by_tone(blocks: _Blocks, channel: int) -> list[tuple[float, float]]:
    """Tones of a channel, code values, and the standard deviation that small blocks show there, codes of 255."""
    spatial, still, tone = blocks.left[..., channel].var(axis=1), blocks.still[:, channel], blocks.tone[:, channel]
    flatness = blocks.flatness[:, channel]
    sure = np.argsort(flatness)[: max(LEAST_BLOCKS, len(spatial) // 10)]
    # A coder repeats grain from frame to frame: in flat blocks it is known how much of it changes.
    changing = max(float(still[sure].mean() / max(float(spatial[sure].mean()), 1e-3)), 0.05)
    tones = []
    for number in range(TONES):
        low, high = 255 * number / TONES, 255 * (number + 1) / TONES
        chosen = np.flatnonzero((tone >= low) & (tone < high))
        if len(chosen) < LEAST_BLOCKS:
            continue
        flat = chosen[np.argsort(flatness[chosen])[: max(LEAST_BLOCKS, round(FLATTEST * len(chosen)))]]
        # Means, not medians: blocks of coarse grain differ much, and half of them have less than there is.
        deviation = min(float(spatial[flat].mean()), float(still[flat].mean()) / changing) ** 0.5
        tones.append((float(np.mean(tone[flat])) / 255, deviation))
    return tones


def _together(blocks: _Blocks) -> tuple[float, float, float]:
    """How channels go together in flat blocks."""
    left = blocks.left[_flattest(blocks)]
    left = left / np.maximum(left.std(axis=1, keepdims=True), 1e-3)
    pairs = left.reshape(-1, 3).T @ left.reshape(-1, 3) / left[..., 0].size
    rg, rb, gb = np.clip(pairs[[0, 0, 1], [1, 2, 2]], -1, 1).round(4).tolist()
    return rg, rb, gb


def _more_in_large(blocks: _Blocks) -> NDArray[np.float64]:
    """How many times as much variance of red, green and blue there is in large blocks as in small ones: coarse grain
    lies partly in the slope of a small block, which was taken out."""
    left = blocks.left[_flattest(blocks)]
    rows = left.reshape(len(left), 2, SIDE, 2, SIDE, 3).swapaxes(2, 3).reshape(-1, SIDE * SIDE, 3)
    return np.asarray(left.var(axis=(0, 1)) / np.maximum(_without_slope(rows, SIDE).var(axis=(0, 1)), 1e-6), np.float64)


def _flattest(blocks: _Blocks) -> NDArray[np.intp]:
    """Numbers of the flattest blocks, in all channels together."""
    flatness = blocks.flatness.mean(axis=1)
    most = max(LEAST_BLOCKS, min(MOST_BLOCKS, round(FLATTEST * len(flatness))))
    return np.argsort(flatness)[:most]


def _spectra(blocks: _Blocks) -> tuple[tuple[float, ...], ...]:
    flat = _flattest(blocks)
    window = np.outer(np.hanning(WIDE), np.hanning(WIDE))
    frequencies = np.hypot(np.fft.fftfreq(WIDE)[:, None], np.fft.fftfreq(WIDE)[None, :])
    band = np.minimum((frequencies / 0.5 * BANDS).astype(int), BANDS - 1)
    spectra = []
    for axis in AXES:
        along = (blocks.left[flat] @ axis.astype(np.float32)).reshape(-1, WIDE, WIDE)
        power = (np.abs(np.fft.fft2(along * window)) ** 2).mean(axis=0)
        means = np.array([power[band == i].mean() for i in range(BANDS)])
        # A block's slope was taken out, and with it the slowest waves: they go on as a bell would.
        means[0] = means[1] * max(1.0, means[1] / max(means[2], 1e-9)) ** 0.5
        spectra.append(tuple((means / max(means.mean(), 1e-9)).round(4).tolist()))
    return tuple(spectra)


def _blocks(before: Codes, after_it: Codes, side: int) -> _Blocks:
    here, after = _cut(before, side), _cut(after_it, side)
    tone = here.mean(axis=1)
    inside = (tone.min(axis=1) > CLIPPED[0]) & (tone.max(axis=1) < CLIPPED[1])
    usable = inside & (here.min(axis=(1, 2)) > 0) & (here.max(axis=(1, 2)) < 255)
    here, after, tone = here[usable], after[usable], tone[usable]
    changed = here - after
    return _Blocks(_without_slope(here, side), tone, _without_slope(after, side).var(axis=1), changed.var(axis=1) / 2)


def _cut(codes: Codes, side: int) -> NDArray[np.float32]:
    """(n, side * side, 3) blocks of a picture."""
    rows, columns = codes.shape[0] // side, codes.shape[1] // side
    cut = codes[: rows * side, : columns * side].reshape(rows, side, columns, side, 3)
    return cut.swapaxes(1, 2).reshape(rows * columns, side * side, 3).astype(np.float32)


def _without_slope(blocks: NDArray[np.float32], side: int) -> NDArray[np.float32]:
    """What is left of blocks without the plane that lies closest to them."""
    y, x = (axis.reshape(-1).astype(np.float64) for axis in np.indices((side, side)))
    base = np.linalg.qr(np.stack([np.ones_like(x), x, y], axis=1))[0].astype(np.float32)
    rows = blocks.swapaxes(1, 2)
    return np.ascontiguousarray((rows - (rows @ base) @ base.T).swapaxes(1, 2))


def _share_left(spectrum: tuple[float, ...]) -> float:
    """Which share of the variance of grain is left of it in large blocks without their slope: of coarse grain less."""
    frequencies = np.hypot(np.fft.fftfreq(SAMPLE)[:, None], np.fft.rfftfreq(SAMPLE)[None, :])
    white = np.fft.rfft2(np.random.default_rng(0).standard_normal((SAMPLE, SAMPLE)))
    white[0, 0] = 0
    grain = np.fft.irfft2(white * np.sqrt(power_at(spectrum, frequencies)), (SAMPLE, SAMPLE)).astype(np.float32)
    left = _without_slope(_cut(np.dstack([grain] * 3), WIDE)[..., :1], WIDE)
    return float(left.var() / grain.var())


def _joined(parts: Sequence[_Blocks]) -> _Blocks:
    return _Blocks(
        np.concatenate([part.left for part in parts]),
        np.concatenate([part.tone for part in parts]),
        np.concatenate([part.flatness for part in parts]),
        np.concatenate([part.still for part in parts]),
    )
