#!/usr/bin/env python3
"""Prints the box (columns and rows, from 1) of the supersampled straight picture that a thing can touch.

    python3 reach.py FRAME rig|buoy|wall
"""
import sys
import numpy as np
import path

# Corners of boxes that hold the rig with its shadow, the wall between window and door, and the buoy with its shadow.
BOXES = {"rig": [((-1.75, 0.0, 1.3), (0.95, 0.9, 2.75)), ((-0.1, 0.0, 1.65), (0.55, 2.55, 2.35)), ((0.0, 0.0, 0.3), (3.3, 0.02, 2.5))],
         "wall": [((-1.0, 0.65, 0.0), (1.25, 2.3, 0.0))],
         "buoy": [((-1.1, 0.0, 3.0), (-0.2, 1.05, 3.9)), ((-0.9, 0.0, 2.6), (1.3, 0.02, 3.9))]}


def reach(frame, what, margin=10):
    """(first column, last column, first row, last row) in supersampled pixels, from 0, last exclusive."""
    c, r = path.pose(frame)
    uv = []
    for a, b in BOXES[what]:
        for i in range(8):
            p = np.array([(a, b)[i >> k & 1][k] for k in range(3)])
            q = r.T @ (p - c)
            uv.append((path.CX + path.FX * q[0] / -q[2], path.CY - path.FY * q[1] / -q[2]))
    uv = np.array(uv)
    w, h = (path.W + 2 * path.PAD_X) * path.SUPER, (path.H + 2 * path.PAD_Y) * path.SUPER
    lo = (uv.min(0) - margin + (path.PAD_X, path.PAD_Y)) * path.SUPER
    hi = (uv.max(0) + margin + (path.PAD_X, path.PAD_Y)) * path.SUPER
    return max(0, int(lo[0])), min(w, int(hi[0])), max(0, int(lo[1])), min(h, int(hi[1]))


if __name__ == "__main__":
    x0, x1, y0, y1 = reach(int(sys.argv[1]), sys.argv[2])
    print(x0 + 1, x1, y0 + 1, y1)
