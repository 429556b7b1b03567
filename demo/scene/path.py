#!/usr/bin/env python3
"""Writes the truth of the demo shot: camera path, lens, points, markers.

    python3 path.py OUTDIR     (cameras.inc and markers.inc for POV-Ray go there too)

World: right-handed, Y up, metres; the camera looks along -Z. Pixels: (0,0) is the top-left
corner of the frame, x right, y down, the centre of the first pixel is (0.5, 0.5).
"""
import json, sys
import numpy as np

FIRST, LAST, W, H = 1001, 1072, 1280, 720
BACK = (24.89, 14.0)
FOCAL = 24.0
FX, FY = FOCAL / BACK[0] * W, FOCAL / BACK[1] * H
CX, CY = W / 2 + 4.3, H / 2 - 2.7
LENS = dict(k1=-0.1, k2=0.015, k3=0.0, p1=0.0, p2=0.0)
PAD_X, PAD_Y = 40, 24           # overscan, pixels on each side
SUPER = 2                       # the straight picture is rendered at this many pixels per pixel


def wobble(t, seed, amp):
    """Handheld unrest: a few incommensurate sines, slow ones larger."""
    r = np.random.RandomState(seed)
    f = np.array([0.31, 0.57, 0.93, 1.7, 2.9, 4.3]) * r.uniform(0.85, 1.15, 6)
    a = np.array([1, 0.75, 0.5, 0.28, 0.12, 0.06])
    p = r.uniform(0, 2 * np.pi, 6)
    return amp * float(np.sum(a * np.sin(2 * np.pi * f * t + p)) / 1.6)


def pose(frame):
    """Camera position and world-from-camera rotation (columns are the camera's axes)."""
    t = (frame - FIRST) / 24.0
    u = (frame - FIRST) / (LAST - FIRST)
    s = u * u * (3 - 2 * u) * 0.55 + u * 0.45
    c = np.array([-1.35 + 2.6 * s, 1.62 + 0.10 * u, 8.25 - 0.85 * s])
    c += np.array([wobble(t, 1, 0.022), wobble(t, 2, 0.020) + 0.014 * abs(np.sin(2 * np.pi * 1.05 * t)), wobble(t, 3, 0.016)])
    target = np.array([-0.12 + 0.42 * s, 1.38, 0.0])
    z = c - target
    z /= np.linalg.norm(z)
    x = np.cross([0, 1, 0], z)
    x /= np.linalg.norm(x)
    r = np.stack([x, np.cross(z, x), z], axis=1)
    pan, tilt, roll = (np.radians(wobble(t, k, a)) for k, a in ((4, 0.42), (5, 0.34), (6, 0.40)))
    ry = np.array([[np.cos(pan), 0, np.sin(pan)], [0, 1, 0], [-np.sin(pan), 0, np.cos(pan)]])
    rx = np.array([[1, 0, 0], [0, np.cos(tilt), -np.sin(tilt)], [0, np.sin(tilt), np.cos(tilt)]])
    rz = np.array([[np.cos(roll), -np.sin(roll), 0], [np.sin(roll), np.cos(roll), 0], [0, 0, 1]])
    return c, r @ ry @ rx @ rz


def points():
    """Points on the set's surfaces: wall, slip, crate tops, far things; name, position."""
    p = []
    for i, x in enumerate(np.linspace(-3.1, 3.2, 13)):
        for j, y in enumerate(np.linspace(0.25, 2.95, 7)):
            if -2.5 < x < -1.0 and 0.9 < y < 2.2 or 1.2 < x < 2.4 and y < 2.25:
                continue                                  # window and door
            p.append((f"wall_{i}_{j}", (x, y, 0.0)))
    for i, x in enumerate(np.linspace(-3.0, 3.0, 11)):
        for j, z in enumerate(np.linspace(0.35, 4.9, 8)):
            p.append((f"slip_{i}_{j}", (x, 0.0, z)))
    for i in range(6):
        p.append((f"fascia_{i}", (-3.5 + i * 1.42, 3.22, 0.42)))
    for i in range(6):
        p.append((f"rail_{i}", (-4.52, 1.07, 1.0 - i * 1.5)))
    return p


def vec(v):
    return "<%.12f, %.12f, %.12f>" % tuple(v)


def main(out):
    frames = range(FIRST, LAST + 1)
    poses = {f: pose(f) for f in frames}
    w, h = W + 2 * PAD_X, H + 2 * PAD_Y
    arr = {k: [] for k in ("CamPos", "CamDir", "CamRight", "CamUp", "CamAxis")}
    for f in frames:
        c, r = poses[f]
        x, y, z = r.T
        mid = -z + (W / 2 - CX) / FX * x - (H / 2 - CY) / FY * y
        arr["CamPos"].append(c)
        arr["CamDir"].append(mid)
        arr["CamRight"].append(x * w / FX)
        arr["CamUp"].append(y * h / FY)
        arr["CamAxis"].append(-z)
    with open(f"{out}/cameras.inc", "w") as o:
        for k, v in arr.items():
            o.write("#declare %s = array[%d] {\n  %s }\n" % (k, len(v), ",\n  ".join(vec(a) for a in v)))
    with open(f"{out}/markers.inc", "w") as o:
        for _, q in points():
            o.write("sphere { %s, 0.02 pigment { rgb 1 } finish { ambient 0 diffuse 0 emission 1 } }\n" % vec(q))
    with open(f"{out}/camera.csv", "w") as o:
        o.write("# world: right-handed, Y up, metres; camera looks along -Z; r00..r22: world-from-camera, row by row\n")
        o.write("# optical centre: offset of the lens axis from the frame's centre, pixels, x right, y down\n")
        o.write("frame,x,y,z,r00,r01,r02,r10,r11,r12,r20,r21,r22,focal_mm,back_width_mm,back_height_mm,centre_x_px,centre_y_px\n")
        for f in frames:
            c, r = poses[f]
            o.write(",".join([str(f)] + ["%.12g" % v for v in [*c, *r.ravel(), FOCAL, *BACK, CX - W / 2, CY - H / 2]]) + "\n")
    json.dump(dict(type="zentil-lens", model="brown-conrady", **LENS), open(f"{out}/lens.json", "w"), indent=1)
    with open(f"{out}/points.ply", "w") as o:
        p = points()
        o.write("ply\nformat ascii 1.0\nelement vertex %d\nproperty double x\nproperty double y\nproperty double z\nend_header\n" % len(p))
        for _, q in p:
            o.write("%.9g %.9g %.9g\n" % q)


if __name__ == "__main__":
    main(sys.argv[1])
