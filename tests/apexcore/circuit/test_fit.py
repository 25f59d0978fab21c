"""A circuit's scale and start line moved: the same road, begun elsewhere."""

import numpy as np
import pytest

from apexcore.circuit.fit import fitted
from apexcore.circuit.track import Circuit, Straight, centre_line, closed_segments, reversed_circuit
from apexcore.errors import InputError
from tests.conftest import demo_circuit


def surveyed(circuit: Circuit) -> Circuit:
    """The same road as points."""
    line = centre_line(circuit)
    points = tuple((float(x), float(y), float(z)) for x, y, z in zip(line.x[::3], line.y[::3], line.z[::3], strict=True))
    return circuit.model_copy(update={"segments": (), "points_m": points, "heights_m": (), "corner_names": tuple("abcdefghi")})


@pytest.mark.parametrize("as_points", [False, True])
@pytest.mark.parametrize(("scale", "start"), [(1.0, 0.0), (1.02, 0.0), (1.0, 150.0), (0.97, 3100.0)])
def test_the_same_road_begun_elsewhere(as_points: bool, scale: float, start: float) -> None:
    circuit = demo_circuit("sallowmere_fen")
    circuit = surveyed(circuit) if as_points else circuit
    before, moved = centre_line(circuit), fitted(circuit, scale, start)
    after = centre_line(moved)
    assert after.length_m == pytest.approx(scale * before.length_m, rel=2e-3)
    share = np.arange(400) / 400
    there = np.interp((share + start / before.length_m) % 1.0, before.s / before.length_m, before.curvature, period=1.0)
    here = np.interp(share, after.s / after.length_m, after.curvature, period=1.0)
    assert np.corrcoef(there, here)[0, 1] > 0.97 and np.abs(here).max() == pytest.approx(np.abs(there).max() / scale, rel=0.15)
    for old, new in zip(circuit.markers, moved.markers, strict=True):
        assert new.at_m == pytest.approx((old.at_m - start) % before.length_m * scale, abs=0.01)
    assert len(moved.heights_m) == len(circuit.heights_m) and list(moved.sectors_m) == sorted(moved.sectors_m)
    ends = complex(after.x[0], after.y[0]) - complex(after.x[-1], after.y[-1])
    assert abs(ends) < 3.0


def test_what_cannot_be_moved_says_why() -> None:
    circuit = demo_circuit("sallowmere_fen")
    first = 0.0
    for segment in closed_segments(circuit).segments:
        if not isinstance(segment, Straight):
            break
        first += segment.length_m
    with pytest.raises(InputError, match="in a corner"):
        fitted(circuit, 1.0, first + 10.0)
    with pytest.raises(InputError, match="scale"):
        fitted(circuit, 3.0, 0.0)
    with pytest.raises(InputError, match="an open course"):
        fitted(circuit.model_copy(update={"closed": False}), 1.0, 0.0)
    assert centre_line(fitted(reversed_circuit(circuit), 1.0, 0.0)).length_m == pytest.approx(centre_line(circuit).length_m, rel=1e-6)
