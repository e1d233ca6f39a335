"""Shapes: what pulls in the long tail of a feature before it is scaled."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from gauger.columns import Values
from gauger.errors import SettingError

TRANSFORMS = ("none", "log", "signed_log", "sqrt", "power")

_NOT_BELOW_ZERO = ("log", "sqrt")
_POWERS = (-1.0, 3.0)
"""Beyond these exponents the curve is so flat that the way back loses digits."""


@dataclass(frozen=True)
class Transform:
    """A fixed curve: log(x + 1), the same mirrored for negative values, or the square root."""

    rule: str

    @property
    def text(self) -> str:
        return {"log": "log(x + 1)", "signed_log": "sign(x) log(|x| + 1)", "sqrt": "square root"}[self.rule]

    def apply(self, values: Values) -> Values:
        forward, _ = _CURVES[self.rule]
        return forward(values)

    def undo(self, values: Values) -> Values:
        _, back = _CURVES[self.rule]
        return back(values)


@dataclass(frozen=True)
class Power:
    """The power transformation of Yeo & Johnson (2000), Biometrika 87(4), 954-959, with its learned exponent.

    ((x + 1)^p - 1) / p for x >= 0 and -((1 - x)^(2 - p) - 1) / (2 - p) below, logs where the exponent is 0: 1 leaves
    values as they are, less pulls in a tail of large values.
    """

    exponent: float

    @property
    def text(self) -> str:
        return f"power {self.exponent:.3g} (Yeo-Johnson)"

    def apply(self, values: Values) -> Values:
        from scipy.special import boxcox1p

        treated: Values = np.where(
            values >= 0.0,
            boxcox1p(np.maximum(values, 0.0), self.exponent),
            -boxcox1p(np.maximum(-values, 0.0), 2.0 - self.exponent),
        )
        return treated

    def undo(self, values: Values) -> Values:
        from scipy.special import inv_boxcox1p

        before: Values = np.where(
            values >= 0.0,
            inv_boxcox1p(np.maximum(values, 0.0), self.exponent),
            -inv_boxcox1p(np.maximum(-values, 0.0), 2.0 - self.exponent),
        )
        return before


def learn_transform(name: str, ordered: Values, rule: str | None) -> Transform | Power | None:
    """The curve for a feature's values, given in order; for "power" its exponent of highest likelihood, from -1 to 3.

    Raises SettingError where a logarithm or a root would meet a negative value.
    """
    if rule is None or rule == "none":
        return None
    low = float(ordered[0])
    if rule in _NOT_BELOW_ZERO and low < 0.0:
        raise SettingError(
            f"transform={rule!r} needs values of 0 or more, and {name!r} goes down to {low:,.6g}. Use 'signed_log', "
            "which takes refunds and other negative values, or 'power'."
        )
    return Power(_likeliest_exponent(ordered)) if rule == "power" else Transform(rule)


def _likeliest_exponent(values: Values) -> float:
    """The exponent under which the values look most like normal ones, by maximum likelihood."""
    from scipy.optimize import minimize_scalar
    from scipy.stats import yeojohnson_llf

    def surprise(exponent: float) -> float:
        likelihood = float(yeojohnson_llf(exponent, values))
        return -likelihood if np.isfinite(likelihood) else np.inf

    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        found = minimize_scalar(surprise, bounds=_POWERS, method="bounded", options={"xatol": 1e-5})
    return float(found.x) if np.isfinite(found.fun) else 1.0


def _mirrored(curve: Callable[[Values], Values]) -> Callable[[Values], Values]:
    return lambda values: np.copysign(curve(np.abs(values)), values)


_CURVES: dict[str, tuple[Callable[[Values], Values], Callable[[Values], Values]]] = {
    "log": (np.log1p, np.expm1),
    "signed_log": (_mirrored(np.log1p), _mirrored(np.expm1)),
    "sqrt": (np.sqrt, np.square),
}
