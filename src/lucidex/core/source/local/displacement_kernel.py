"""Displacements drawn with a brush, and a picture looked at through them, compiled."""

import math
from typing import Any

import numpy as np
from numba import njit

compiled = njit(cache=True, nogil=True, error_model="numpy")

PUSH, SCALE, TURN, BACK = 0, 1, 2, 3


@compiled
def apply_dab(field: Any, spacing: float, x: float, y: float, radius: float, way: int, a: float, b: float) -> None:
    """Put one touch of a brush on top of `field`, rows × columns × 2 displacements in pixels, on a grid of `spacing`.

    A displacement says from where a place takes its pixel: `picture(place + field(place))`. `PUSH` takes along by
    (a, b) pixels, `SCALE` makes larger by the share `a` (smaller below 0), `TURN` turns by `a` radians, `BACK` takes
    the share `a` of what is displaced back; all of it fading to nothing at the brush's edge.
    """
    rows, columns = field.shape[:2]
    first_row = max(0, math.ceil((y - radius) / spacing))
    last_row = min(rows - 1, math.floor((y + radius) / spacing))
    first, last = max(0, math.ceil((x - radius) / spacing)), min(columns - 1, math.floor((x + radius) / spacing))
    if first_row > last_row or first > last:
        return
    changed = np.empty((last_row - first_row + 1, last - first + 1, 2), np.float32)
    for row in range(first_row, last_row + 1):
        for column in range(first, last + 1):
            across, down = column * spacing - x, row * spacing - y
            far = (across * across + down * down) / (radius * radius)
            share = (1.0 - far) * (1.0 - far) if far < 1.0 else 0.0
            at = (row - first_row, column - first)
            if way == BACK:
                changed[at[0], at[1], 0] = field[row, column, 0] * (1.0 - a * share)
                changed[at[0], at[1], 1] = field[row, column, 1] * (1.0 - a * share)
                continue
            if way == PUSH:
                dx, dy = -a * share, -b * share
            elif way == SCALE:
                dx, dy = -across * a * share, -down * a * share
            else:
                sin, cos = math.sin(-a * share), math.cos(-a * share)
                dx, dy = cos * across - sin * down - across, sin * across + cos * down - down
            from_x = min(max(column + dx / spacing, 0.0), columns - 1.0)
            from_y = min(max(row + dy / spacing, 0.0), rows - 1.0)
            left, top = min(int(from_x), columns - 2), min(int(from_y), rows - 2)
            u, v = from_x - left, from_y - top
            for i in range(2):
                held = (1 - v) * ((1 - u) * field[top, left, i] + u * field[top, left + 1, i]) + v * (
                    (1 - u) * field[top + 1, left, i] + u * field[top + 1, left + 1, i]
                )
                changed[at[0], at[1], i] = held + (dx if i == 0 else dy)
    field[first_row : last_row + 1, first : last + 1] = changed


@compiled
def _cubic(t: float, weights: Any) -> None:
    """The four weights of Catmull and Rom's cubic for a place `t`, 0 to 1, between the middle two."""
    weights[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
    weights[1] = (1.5 * t - 2.5) * t * t + 1.0
    weights[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
    weights[3] = (0.5 * t - 0.5) * t * t


@compiled
def look_through(
    values: Any, left: int, top: int, field: Any, spacing: float, across: int, down: int, out: Any, moved: Any
) -> None:
    """Fill `out`, rows × columns × bands, with `values` as they are seen through a field of displacements.

    `left`, `top`: where `out` begins in `values`; `across`, `down`: where it begins on the field's grid, in pixels.
    `moved` (rows × columns) is set where a pixel comes from elsewhere. The picture's edge goes on.
    """
    rows, columns, bands = out.shape
    height, width = values.shape[:2]
    grid_rows, grid_columns = field.shape[:2]
    weights_x, weights_y = np.empty(4), np.empty(4)
    for row in range(rows):
        for column in range(columns):
            gx, gy = (column + across) / spacing, (row + down) / spacing
            cell_x, cell_y = min(int(gx), grid_columns - 2), min(int(gy), grid_rows - 2)
            u, v = gx - cell_x, gy - cell_y
            dx = (1 - v) * ((1 - u) * field[cell_y, cell_x, 0] + u * field[cell_y, cell_x + 1, 0]) + v * (
                (1 - u) * field[cell_y + 1, cell_x, 0] + u * field[cell_y + 1, cell_x + 1, 0]
            )
            dy = (1 - v) * ((1 - u) * field[cell_y, cell_x, 1] + u * field[cell_y, cell_x + 1, 1]) + v * (
                (1 - u) * field[cell_y + 1, cell_x, 1] + u * field[cell_y + 1, cell_x + 1, 1]
            )
            moved[row, column] = dx * dx + dy * dy > 4e-6
            if not moved[row, column]:
                for band in range(bands):
                    out[row, column, band] = values[row + top, column + left, band]
                continue
            x = min(max(column + left + dx, 0.0), width - 1.0)
            y = min(max(row + top + dy, 0.0), height - 1.0)
            first_x, first_y = int(x), int(y)
            _cubic(x - first_x, weights_x)
            _cubic(y - first_y, weights_y)
            for band in range(bands):
                total = 0.0
                for i in range(4):
                    from_row = min(max(first_y + i - 1, 0), height - 1)
                    line = 0.0
                    for j in range(4):
                        from_column = min(max(first_x + j - 1, 0), width - 1)
                        line += weights_x[j] * values[from_row, from_column, band]
                    total += weights_y[i] * line
                out[row, column, band] = total
