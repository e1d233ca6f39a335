"""The palette: apart for every eye, in grey print, and where neighbours touch; figures as its docstring states them."""

from itertools import combinations

import numpy as np
import pytest

from gauger.appearance import PAPER, SEGMENT_COLOURS, SEGMENT_MARKERS, UNASSIGNED_COLOUR

# Machado, Oliveira & Fernandes (2009), IEEE Transactions on Visualization and Computer Graphics 15(6), table 1, full
# severity: linear red, green, blue as they are seen.
SEEN = {
    "normal": np.eye(3),
    "protanopia": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "deuteranopia": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "tritanopia": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}
TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)


def _linear(colour: str) -> np.ndarray:
    parts = np.array([int(colour[at : at + 2], 16) for at in (1, 3, 5)]) / 255.0
    return np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)


def _lab(linear: np.ndarray) -> np.ndarray:
    x = TO_XYZ @ np.clip(linear, 0.0, 1.0) / [0.95047, 1.0, 1.08883]
    f = np.where(x > 0.008856, np.cbrt(x), 7.787 * x + 16.0 / 116.0)
    return np.array([116.0 * f[1] - 16.0, 500.0 * (f[0] - f[1]), 200.0 * (f[1] - f[2])])


def ciede2000(one: np.ndarray, other: np.ndarray) -> float:
    """Sharma, Wu & Dalal (2005), Color Research and Application 30(1), 21-30."""
    (light1, a1, b1), (light2, a2, b2) = one, other
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2.0
    g = 0.5 * (1.0 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    c1, c2 = np.hypot((1.0 + g) * a1, b1), np.hypot((1.0 + g) * a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, (1.0 + g) * a)) % 360.0 for a, b in ((a1, b1), (a2, b2)))
    turn = 0.0 if c1 * c2 == 0.0 else (h2 - h1 + 180.0) % 360.0 - 180.0
    hue = 2.0 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2.0))
    light, chroma = (light1 + light2) / 2.0, (c1 + c2) / 2.0
    middle = (h1 + turn / 2.0) % 360.0 if c1 * c2 else h1 + h2
    t = 1.0 + sum(
        share * np.cos(np.radians(times * middle + shift))
        for share, times, shift in ((-0.17, 1, -30), (0.24, 2, 0), (0.32, 3, 6), (-0.20, 4, -63))
    )
    by_light = 1.0 + 0.015 * (light - 50.0) ** 2 / np.sqrt(20.0 + (light - 50.0) ** 2)
    by_chroma, by_hue = 1.0 + 0.045 * chroma, 1.0 + 0.015 * chroma * t
    turned = -2.0 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7))
    turned *= np.sin(np.radians(60.0 * np.exp(-(((middle - 275.0) / 25.0) ** 2))))
    parts = ((light2 - light1) / by_light, (c2 - c1) / by_chroma, hue / by_hue)
    return float(np.sqrt(sum(part**2 for part in parts) + turned * parts[1] * parts[2]))


@pytest.mark.parametrize(
    ("one", "other", "apart"),
    [
        ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
        ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((22.7233, 20.0904, -46.6940), (23.0331, 14.9730, -42.5619), 2.0373),
        ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
    ],
)
def test_the_measure_gives_the_published_distances(one: tuple, other: tuple, apart: float) -> None:
    assert ciede2000(np.array(one), np.array(other)) == pytest.approx(apart, abs=5e-5)


def _distances(kind: str) -> dict[tuple[int, int], float]:
    seen = [_lab(np.array(SEEN[kind]) @ _linear(colour)) for colour in SEGMENT_COLOURS]
    return {pair: ciede2000(seen[pair[0]], seen[pair[1]]) for pair in combinations(range(12), 2)}


@pytest.mark.parametrize("kind", list(SEEN))
def test_hues_are_as_far_apart_as_the_palette_states_to_every_eye(kind: str) -> None:
    apart = _distances(kind)
    assert min(apart.values()) >= 11.0
    assert min(value for pair, value in apart.items() if max(pair) < 6) >= 13.0
    assert min(apart[min(at, (at + 1) % 12), max(at, (at + 1) % 12)] for at in range(12)) >= 19.0
    grey = _lab(np.array(SEEN[kind]) @ _linear(UNASSIGNED_COLOUR))
    assert min(ciede2000(_lab(np.array(SEEN[kind]) @ _linear(colour)), grey) for colour in SEGMENT_COLOURS) >= 8.0


def test_neighbours_differ_in_grey_print_and_all_stand_out_on_white() -> None:
    light = [_lab(_linear(colour))[0] for colour in SEGMENT_COLOURS]
    assert min(abs(light[at] - light[(at + 1) % 12]) for at in range(12)) >= 9.0
    luminances = [float(TO_XYZ[1] @ _linear(colour)) for colour in SEGMENT_COLOURS]
    white = float(TO_XYZ[1] @ _linear(PAPER))
    contrasts = [(white + 0.05) / (luminance + 0.05) for luminance in luminances]
    assert min(contrasts[:6]) >= 2.7
    assert min(contrasts) >= 1.9


def test_each_of_twelve_segments_has_a_colour_and_a_marker_of_its_own() -> None:
    assert len(set(SEGMENT_COLOURS)) == len(set(SEGMENT_MARKERS)) == 12
