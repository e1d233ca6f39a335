"""Where the customers of each segment live: a map with the same scale both ways."""

import numpy as np
from matplotlib.figure import Figure

from gauger.columns import AnyTable
from gauger.draw.clouds import Points
from gauger.draw.labels import push_apart, short_name
from gauger.draw.planes import Plane, draw_plane, name_segments, note_on_names
from gauger.draw.style import new_figure
from gauger.errors import ColumnValuesError, SettingError
from gauger.profiling import matched_table
from gauger.segmentation import Segmentation
from gauger.wording import short_number

_EARTH_KM = 6371.0
"""The mean radius of the earth."""

_UNITS = {"km": 1.0, "m": 0.001}
"""Kilometres in a unit."""


def segment_map(
    seg: Segmentation,
    table: AnyTable | None = None,
    *,
    east: str = "east_km",
    north: str = "north_km",
    unit: str = "km",
) -> Figure:
    """Draw customers on a map, segments at their medians.

    Both axes have the same scale; degrees are drawn in km from the middle as on a flat sheet.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    table : pandas.DataFrame or another table, optional
        Has the two columns, matched by key; by default they are features.
    east, north : str
        The columns.
    unit : {"km", "m", "degrees"}
        What they are in; longitude and latitude are in degrees.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError
        For a column that is not there.
    ColumnValuesError
        For coordinates that are no numbers or no degrees.
    SettingError
        For another unit, or when nobody has coordinates.

    Examples
    --------
    >>> import gauger
    >>> houses = gauger.read_table(gauger.demo_file("houses.csv"))
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(houses, key="house", scale="none"), 3)
    >>> gauger.draw.segment_map(seg).get_suptitle()
    'segment 1 lives closest together: half within 3.42 km of its middle (everyone 8.01)'
    """
    seg = seg.sample
    if unit not in (*_UNITS, "degrees"):
        raise SettingError.not_one_of("unit", unit, (*_UNITS, "degrees"))
    positions = _places(seg, table, (east, north))
    if np.isnan(positions).any(axis=1).all():
        raise SettingError(f"no {seg.noun.one} has both {east} and {north}: there is nothing to draw on a map.")
    names = (east, north) if unit == "km" else ("km to the east", "km to the north")
    points = _from_degrees(positions, names=(east, north)) if unit == "degrees" else positions * _UNITS[unit]
    own = [points[(seg.codes == number) & ~np.isnan(points).any(axis=1)] for number in seg.numbers]
    middles = np.array([np.median(part, axis=0) if len(part) else np.full(2, np.nan) for part in own]).reshape(-1, 2)
    plane = Plane.of(names, points, middles, equal=True)
    notes = "Large marks: the median place of a segment.", plane.note(seg.noun), note_on_names(seg.count)
    figure = new_figure(
        _title(seg, points, middles),
        " ".join(filter(None, notes)),
        form=(
            f"A map with a point for each of the {seg.noun.many}, its colour and shape by segment, and large "
            "marks in the segments' middles."
        ),
    )
    axes = figure.subplots()
    draw_plane(axes, plane, seg)
    push_apart(axes, name_segments(axes, plane, seg), plane.middles)
    return figure


def _places(seg: Segmentation, table: AnyTable | None, names: tuple[str, str]) -> Points:
    known = seg.features.original
    if table is not None:
        known, _ = matched_table(known.index, table, seg.features.key, needed=names)
    elif not set(names) <= set(known.columns):
        raise SettingError(
            f"{' and '.join(names)} are not among the features: give the table that holds them, such as "
            "segment_map(seg, members)."
        )
    try:
        return np.column_stack([known[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in names])
    except (TypeError, ValueError) as error:
        raise ColumnValuesError(f"{' and '.join(names)} must hold numbers to be drawn on a map.") from error


def _from_degrees(positions: Points, names: tuple[str, str]) -> Points:
    """Kilometres from the middle of all customers, on a sheet that touches the globe there."""
    longitude, latitude = positions.T
    if np.nanmax(np.abs(longitude)) > 180.0 or np.nanmax(np.abs(latitude)) > 90.0:
        raise ColumnValuesError(f"{names[0]} and {names[1]} are no degrees of longitude and latitude.")
    middle = np.nanmedian(latitude)
    across = np.deg2rad(longitude - np.nanmedian(longitude)) * np.cos(np.deg2rad(middle))
    return np.column_stack([_EARTH_KM * across, _EARTH_KM * np.deg2rad(latitude - middle)])


def _title(seg: Segmentation, points: Points, middles: Points) -> str:
    """Whose customers live closest together, against everyone."""
    everyone = _reach(points, np.nanmedian(points, axis=0))
    reaches = [_reach(points[seg.codes == number], middles[number - 1]) for number in seg.numbers]
    if len(reaches) < 2 or not everyone > 0.0 or np.isnan(reaches).all():
        return f"Half of all {seg.noun.many} live within {short_number(everyone)} km of their middle"
    number = int(np.nanargmin(reaches)) + 1
    least = reaches[number - 1]
    if least > 0.8 * everyone:
        return "Segments live all over the map: none is closer together than everyone"
    name = short_name(seg.names[number])
    return (
        f"{name} lives closest together: half within {short_number(least)} km of its middle (everyone "
        f"{short_number(everyone)})"
    )


def _reach(points: Points, middle: Points) -> float:
    apart = np.hypot(*(points - middle).T)
    return float(np.nanmedian(apart)) if (~np.isnan(apart)).any() else np.nan
