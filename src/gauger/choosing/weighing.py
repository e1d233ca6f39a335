"""Weighing the signs of groups: which count they speak for."""

from dataclasses import dataclass

from gauger.algorithms.diagnostics import DEEP, joined
from gauger.choosing.signs import CountSigns, Partition, Signs
from gauger.choosing.survey import FAINTEST

DEEP_MERGED = 0.95
"""A valley as `DEEP` between segments that were merged for it, which are chosen from many: tuned as `_LINKED`."""

FAINT, FAINT_OF_TWO, FAINT_OF_FIRM = 0.38, 0.40, FAINTEST
"""A scaled dip that speaks for a count when its silhouette does too; that of two segments, of which there is but one;
and that between the two least apart of three or more which are firm on average: tuned as `_LINKED`."""

FIRM = 4.0
"""Standard errors by which segments' valleys are deeper than in clouds, on average, to be firm: judgement."""

SURE, LIKELY = 5.0, 4.0
"""Standard deviations of the silhouette above that of one cloud."""

_LINKED = 0.46
"""Segments with a valley shallower than this between them are one group: tuned on `benchmarks.advice`, on other seeds
than it reports."""

_TRADE_DEEP, _TRADE_FAINT, _TRADE_LONELY = 2.0, 7.0, 9.0
"""How much deeper the shallowest valley must be for each point of silhouette given up: between segments with deep
valleys, with faint ones, and of customers weighted by their space: tuned as `_LINKED`."""

_GAIN = 1.0
"""How much shallower it may be for each point of silhouette won against fewer segments, of three or more: tuned as
`_LINKED`."""

_MOST_LOSS = 0.05
"""The most silhouette that a count with fainter valleys may give up: tuned as `_LINKED`."""

_PLAIN_TO_SEE = 1.2
"""A valley this deep speaks for groups whatever the silhouettes say: tuned as `_LINKED`."""

_NEAR, _RIVAL_DEPTH = 0.05, 0.50
"""A higher count is a rival with a silhouette this near and faint valleys, or with valleys this deep: judgement."""

_RIVAL_OF_THE_LONELY = 0.42
"""A valley this deep around a small group that only weighted customers show is a doubt: judgement."""

_DEEP_ERRORS, _FAINT_ERRORS = 3.0, 2.0
"""Standard deviations that a valley must be deeper than those of one cloud: judgement."""


@dataclass(frozen=True, eq=False)
class Weighed:
    """`count` groups, as in `groups` (None for one), and a higher count that nearly as much speaks for.

    `between_valleys` groups, as in `firm`, have valleys of at least `depth` between each two. `peak` is the count of
    the highest silhouette, if it is above that of one cloud.
    """

    count: int
    between_valleys: int
    depth: float
    groups: Partition | None
    rival: int | None = None
    peak: int = 1
    firm: Partition | None = None


def weigh(signs: Signs) -> Weighed:
    """Which count the signs speak for: for its valleys, or for fainter ones when the silhouette speaks for it too."""
    by_count = signs.by_count
    best = max(sign.own.silhouette for sign in by_count.values())
    between: Partition | None = None
    for sign in by_count.values():
        between = _more_between_valleys(sign, between, best, 0.8 * signs.least)
    valleys = between.count if between is not None else 1
    answer = between
    heard = {1: 0.0} | {k: sign.own.silhouette for k, sign in by_count.items() if sign.own.smallest >= signs.least}
    if between is not None:
        heard[valleys] = max(heard.get(valleys, 0.0), between.silhouette)
    for sign in by_count.values():
        if (between is not None or sign.excess > LIKELY) and _speaks_for(sign, sign.own, answer, heard, signs.least):
            answer = sign.own
    if between is not None:
        for sign in by_count.values():
            if _speaks_for(sign, sign.lonely, answer, heard, signs.least):
                answer = sign.lonely
    highest = max((by_count[count].excess for count in heard if count in by_count), default=0.0)
    depth = between.shallowest if between is not None else 0.0
    top = max(by_count.values(), key=lambda sign: sign.own.silhouette)
    peak = top.own.count if top.excess > LIKELY else 1
    if answer is None or (highest <= LIKELY and depth <= _PLAIN_TO_SEE):
        return Weighed(1, valleys, depth, None, peak=peak, firm=between)
    return Weighed(answer.count, valleys, depth, answer, _rival(signs, answer), peak, between)


def _rival(signs: Signs, answer: Partition) -> int | None:
    """A higher count that nearly as much speaks for.

    By its silhouette with faint valleys, by deep ones, or by a small group that only weighted customers show.
    """
    for count, sign in signs.by_count.items():
        small = max(_RIVAL_OF_THE_LONELY, _beyond(sign.clouds.shallowest, _DEEP_ERRORS))
        if count > answer.count and sign.lonely.smallest >= signs.least and sign.lonely.shallowest >= small:
            return count
        if count > answer.count and sign.own.smallest >= signs.least:
            near = sign.own.silhouette >= answer.silhouette - _NEAR
            if near and sign.own.shallowest >= FAINT_OF_FIRM:
                return count
        for step in sign.merged:
            limit = max(_RIVAL_DEPTH, _beyond(sign.clouds.depth, _DEEP_ERRORS))
            if step.count > answer.count and step.shallowest > limit and step.smallest >= signs.least:
                return step.count
    return None


def _more_between_valleys(sign: CountSigns, found: Partition | None, best: float, least: float) -> Partition | None:
    """The most groups with deep valleys between each two, of a count's segments merged step by step, if more."""
    most, _ = joined(sign.depths, _LINKED)
    for step in (sign.own, *sign.merged):
        limit = DEEP_MERGED
        if step is sign.own:
            limit = max(DEEP, _beyond(sign.clouds.depth, _DEEP_ERRORS))
        if step.count > most or step.count <= (found.count if found is not None else 1):
            continue
        if step.shallowest >= limit + _TRADE_DEEP * max(0.0, best - step.silhouette) and step.smallest >= least:
            return step
    return found


def _speaks_for(
    sign: CountSigns, segments: Partition, answer: Partition | None, heard: dict[int, float], least: float
) -> bool:
    """Whether the valleys of segments are deep enough for what their silhouette loses against fewer segments."""
    if segments.count <= (answer.count if answer is not None else 1) or segments.smallest < least:
        return False
    loss = max(apart for fewer, apart in heard.items() if fewer < segments.count) - segments.silhouette
    if loss > _MOST_LOSS:
        return False
    trade = _TRADE_FAINT if segments is sign.own else _TRADE_LONELY
    if loss < 0.0:
        trade = _GAIN if segments.count > 2 else 0.0
    return segments.shallowest >= _faint(sign, segments) + trade * loss


def _faint(sign: CountSigns, segments: Partition) -> float:
    """How deep the shallowest valley must be at least to speak for segments."""
    if segments is sign.own and sign.firmness >= FIRM:
        return FAINT_OF_TWO if segments.count == 2 else FAINT_OF_FIRM
    in_clouds = min(_beyond(sign.clouds.depth, _FAINT_ERRORS), _beyond(sign.clouds.shallowest, _FAINT_ERRORS))
    return max(FAINT_OF_TWO if segments.count == 2 else FAINT, in_clouds)


def _beyond(in_clouds: tuple[float, float], errors: float) -> float:
    return in_clouds[0] + errors * in_clouds[1]
