"""A storey's predicted levels as CSV or GeoJSON points in local metres."""

from __future__ import annotations

import csv
import io
import json

import numpy as np

from even_static.core.propagation.coverage import Coverage
from even_static.core.tables.bands import Band


def _rows(coverage: Coverage, storey: int, band: Band, step_m: float) -> list[tuple[float, float, str, float, float]]:
    """(x, y, loudest radio, level, spread) of every point inside a room or garden."""
    grid = coverage.grid(storey, step_m)
    levels = coverage.levels(grid.xy, grid.z_m)
    rows = [i for i, r in enumerate(coverage.radios) if r.band == band]
    if not rows:
        return []
    level = np.where(np.isnan(levels.level_dbm[rows]), -np.inf, levels.level_dbm[rows])
    best = level.argmax(axis=0)
    found = []
    for k in np.flatnonzero(grid.inside.ravel()):
        r = rows[int(best[k])]
        if np.isfinite(level[best[k], k]):
            x, y = grid.xy[k]
            spread = float(levels.spread_db[r, k])
            found.append((float(x), float(y), coverage.radios[r].id, float(level[best[k], k]), spread))
    return found


def grid_csv(coverage: Coverage, storey: int, band: Band, step_m: float) -> str:
    """Columns storey, x_m, y_m, band, radio_id, level_dbm, spread_db."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["storey", "x_m", "y_m", "band", "radio_id", "level_dbm", "spread_db"])
    for x, y, radio_id, level, spread in _rows(coverage, storey, band, step_m):
        writer.writerow([storey, f"{x:.2f}", f"{y:.2f}", band, radio_id, f"{level:.1f}", f"{spread:.1f}"])
    return out.getvalue()


def grid_geojson(coverage: Coverage, storey: int, band: Band, step_m: float) -> str:
    """A FeatureCollection of points; coordinates are local metres (x right, y back), not degrees."""
    features = [
        {
            "type": "Feature",
            "geometry": {"type": "Point", "coordinates": [round(x, 2), round(y, 2)]},
            "properties": {
                "storey": storey,
                "band": band,
                "radio_id": radio_id,
                "level_dbm": round(level, 1),
                "spread_db": round(spread, 1),
            },
        }
        for x, y, radio_id, level, spread in _rows(coverage, storey, band, step_m)
    ]
    return json.dumps({"type": "FeatureCollection", "coordinates_unit": "m", "features": features}) + "\n"
