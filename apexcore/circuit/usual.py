"""A course such as cars of a kind are driven on, where nobody has named one: to settle a tyre's heat on."""

from .track import Circuit, Corner, Straight

#: Corners of a course (angle [deg], radius [m]), each behind a straight [m]; drawn for this product.
_ROAD = ((500, -90, 40), (250, -90, 60), (200, 90, 35), (150, -90, 30), (350, -120, 90), (300, -60, 120))
_KART = ((90, -90, 14), (60, -90, 10), (40, 90, 12), (50, -90, 9), (110, -120, 18), (70, -60, 25))
_BOWL = ((170, 180, 60), (170, 180, 60))


def _course(
    key: str, name: str, corners: tuple[tuple[float, float, float], ...], width_m: float, eased_m: float, bank_deg: float
) -> Circuit:
    segments: list[Straight | Corner] = []
    for length, angle, radius in corners:
        segments += [
            Straight(length_m=length), Corner(angle_deg=angle, radius_m=radius, transition_m=min(eased_m, 0.6 * radius), bank_deg=bank_deg),
        ]  # fmt: skip
    return Circuit(key=key, name=name, layout="usual", width_m=width_m, segments=tuple(segments))


_COURSES = {
    "kart": _course("usual_kart", "a kart circuit", _KART, 8.0, 8.0, 0.0),
    "oval": _course("usual_oval", "a short oval", _BOWL, 14.0, 30.0, 9.0),
}
_ROAD_COURSE = _course("usual_road", "a road circuit", _ROAD, 11.0, 25.0, 0.0)


def usual_course(kind: str) -> Circuit:
    """A course for cars of a kind.

    :param kind: one of `vehicle.kinds.KINDS`
    """
    return _COURSES.get(kind, _ROAD_COURSE)
