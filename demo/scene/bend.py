#!/usr/bin/env python3
"""Bends the straight, supersampled renders to what the lens makes of them, adds grain, and writes the demo shot.

    python3 bend.py WORKDIR DEMODIR [FRAME...]

Uses OpenCV and OpenImageIO only, nothing of Zentil, so that it can serve as truth. For every subpixel of the plate the straight position is found
by fixed-point iteration on cv2.projectPoints' own model; the mean of 4 x 4 subpixels is the pixel.
"""
import json, os, sys
import cv2
import numpy as np
import OpenImageIO as oiio
import path as p

SUB = 4
K = np.array([[p.FX, 0, p.CX], [0, p.FY, p.CY], [0, 0, 1]])
DIST = np.array([p.LENS[k] for k in ("k1", "k2", "p1", "p2", "k3")])
CLEAN_FRAME = 1036
WHOLE_FRAMES = (1001, 1036, 1072)
SOFT = 0.6                      # the lens's own blur, sigma in pixels


def read(file):
    b = oiio.ImageBuf(file)
    a = np.asarray(b.get_pixels(oiio.FLOAT), np.float32)
    return a


def write(file, a, compression="piz", half=True, origin=(0, 0), full=None, names=None, attributes=None):
    a = np.ascontiguousarray(a if a.ndim == 3 else a[..., None], np.float32)
    spec = oiio.ImageSpec(a.shape[1], a.shape[0], a.shape[2], oiio.HALF if half else oiio.FLOAT)
    spec.x, spec.y = origin
    f = full or (0, 0, a.shape[1], a.shape[0])
    spec.full_x, spec.full_y, spec.full_width, spec.full_height = f
    if names:
        spec.channelnames = names
    if file.endswith(".png"):
        spec.set_format(oiio.UINT8)
    spec.attribute("compression", compression)
    for k, v in (attributes or {}).items():
        spec.attribute(k, v)
    os.makedirs(os.path.dirname(file), exist_ok=True)
    out = oiio.ImageOutput.create(file)
    assert out.open(file, spec), out.geterror()
    out.write_image(a)
    out.close()


def straight_positions(width, height, sub):
    """Straight pixel position of every subpixel of the plate."""
    u = (np.arange(width * sub) + 0.5) / sub
    v = (np.arange(height * sub) + 0.5) / sub
    xd, yd = np.meshgrid((u - p.CX) / p.FX, (v - p.CY) / p.FY)
    k1, k2, p1, p2, k3 = DIST
    x, y = xd.copy(), yd.copy()
    for _ in range(60):
        rr = x * x + y * y
        radial = 1 + rr * (k1 + rr * (k2 + rr * k3))
        dx = 2 * p1 * x * y + p2 * (rr + 2 * x * x)
        dy = p1 * (rr + 2 * y * y) + 2 * p2 * x * y
        x, y = (xd - dx) / radial, (yd - dy) / radial
    check = cv2.projectPoints(np.stack([x[::97, ::101].ravel(), y[::97, ::101].ravel(), np.ones_like(x[::97, ::101].ravel())], 1), np.zeros(3), np.zeros(3), K, DIST)[0][:, 0]
    want = np.stack(np.meshgrid(u, v), -1)[::97, ::101].reshape(-1, 2)
    assert np.abs(check - want).max() < 1e-6
    return p.CX + p.FX * x, p.CY + p.FY * y


_maps = {}


def bend(image, soft=0.0, fineness=p.SUPER):
    """A straight picture (overscan, `fineness` pixels a pixel) as the plate's frame shows it; soft: the lens's own blur, sigma in pixels."""
    if fineness not in _maps:
        sx, sy = straight_positions(p.W, p.H, SUB)
        # OpenCV counts from the centre of the first pixel.
        _maps[fineness] = (((sx + p.PAD_X) * fineness - 0.5).astype(np.float32), ((sy + p.PAD_Y) * fineness - 0.5).astype(np.float32))
    fine = cv2.remap(image, *_maps[fineness], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    if soft:
        fine = cv2.GaussianBlur(fine, (0, 0), soft * SUB)
    return cv2.resize(fine, (p.W, p.H), interpolation=cv2.INTER_AREA)


def grain(clean, seed):
    """Film-like: more where it is bright, a little coarser than a pixel, its own in each channel."""
    r = np.random.RandomState(seed)
    n = np.stack([cv2.GaussianBlur(r.standard_normal(clean.shape[:2]).astype(np.float32), (0, 0), 0.55) for _ in range(3)], -1)
    n /= n.std()
    n = 0.75 * n + 0.35 * n.mean(-1, keepdims=True)
    return clean + n * (0.0014 + 0.0079 * np.sqrt(np.clip(clean, 0, 1)))


def whole(work, frame, kind):
    """Frame with or without the rig; without, only the reached part was rendered and the rest is the same."""
    rig = read(f"{work}/rig.{frame}.exr")[..., :3]
    if kind == "rig":
        return rig
    from reach import reach
    x0, x1, y0, y1 = reach(frame, "rig")
    bare = read(f"{work}/bare.{frame}.exr")[..., :3]
    out = rig.copy()
    out[y0:y1, x0:x1] = bare[y0:y1, x0:x1] if bare.shape[:2] == rig.shape[:2] else bare
    return out


def full_size(work, name, frame, channels):
    """A render of which only the part within reach was made; a ray tracer fills the rest with opaque black."""
    from reach import reach
    a = read(f"{work}/{name}.{frame}.exr")
    h, w = (p.H + 2 * p.PAD_Y) * p.SUPER, (p.W + 2 * p.PAD_X) * p.SUPER
    x0, x1, y0, y1 = reach(frame, "buoy")
    b = np.zeros((h, w, a.shape[2]), np.float32)
    b[y0:y1, x0:x1] = a[y0:y1, x0:x1] if a.shape[:2] == (h, w) else a
    return b[..., :channels]


def box_of(mask, margin=2):
    ys, xs = np.where(mask)
    if len(xs) == 0:
        return 0, 0, 1, 1
    return max(0, xs.min() - margin), max(0, ys.min() - margin), min(mask.shape[1], xs.max() + 1 + margin), min(mask.shape[0], ys.max() + 1 + margin)


def cg(work, demo, f):
    from reach import reach
    rgba = full_size(work, "cg", f, 4)
    # An ordinary pixel filter, as soft as the plate's lens.
    straight = cv2.resize(cv2.GaussianBlur(rgba, (0, 0), SOFT * p.SUPER), None, fx=1 / p.SUPER, fy=1 / p.SUPER, interpolation=cv2.INTER_AREA)
    depth = cv2.imread(f"{work}/cgdepth.{f}.png", cv2.IMREAD_UNCHANGED).astype(np.float32)
    depth = (depth if depth.ndim == 2 else depth[..., 0]) / 65535 * 20
    depth[depth >= 19.99] = 0
    x0, y0, x1, y1 = box_of(straight[..., 3] > 0)
    full = (-p.PAD_X, -p.PAD_Y, p.W + 2 * p.PAD_X, p.H + 2 * p.PAD_Y)
    a = np.dstack([straight, depth])[y0:y1, x0:x1]
    write(f"{demo}/cg/buoy.{f}.exr", a, "dwab:45", True, (x0 - p.PAD_X, y0 - p.PAD_Y), full, ["R", "G", "B", "A", "Z"])
    bent = bend(rgba, SOFT)
    x0, y0, x1, y1 = box_of(bent[..., 3] > 0)
    write(f"{demo}/truth/cg/buoy_bent.{f}.exr", bent[y0:y1, x0:x1], "dwab:45", True, (x0, y0), (0, 0, p.W, p.H), ["R", "G", "B", "A"])
    shade = np.ones((rgba.shape[0], rgba.shape[1]), np.float32)
    rx0, rx1, ry0, ry1 = reach(f, "buoy")
    part = read(f"{work}/cgshadow.{f}.exr")[..., 0]
    shade[ry0:ry1, rx0:rx1] = np.clip(part[ry0:ry1, rx0:rx1] if part.shape == shade.shape else part, 0, 1)
    shade = cv2.resize(shade, None, fx=1 / p.SUPER, fy=1 / p.SUPER, interpolation=cv2.INTER_AREA)
    x0, y0, x1, y1 = box_of(shade < 0.995)
    write(f"{demo}/cg/buoy_shadow.{f}.exr", shade[y0:y1, x0:x1], "zip", True, (x0 - p.PAD_X, y0 - p.PAD_Y), full, ["Y"])


def wall(work, demo, f):
    """The wall, finely rendered and kept without loss, with the lens's blur but no rig and no grain: what a resampling is measured on."""
    from reach import reach
    a = read(f"{work}/wall.{f}.exr")[..., :3]
    x0, x1, y0, y1 = (2 * v for v in reach(f, "wall"))
    if a.shape[:2] == (y1 - y0, x1 - x0):
        whole = np.zeros(((p.H + 2 * p.PAD_Y) * 2 * p.SUPER, (p.W + 2 * p.PAD_X) * 2 * p.SUPER, 3), np.float32)
        whole[y0:y1, x0:x1] = a
        a = whole
    inside = np.zeros(a.shape[:2], np.float32)
    inside[y0:y1, x0:x1] = 1
    x0, y0, x1, y1 = box_of(bend(inside, fineness=2 * p.SUPER) > 0.999, 0)
    # The box bulges; what little of its corners was not rendered is black and beyond what is measured.
    write(f"{demo}/truth/wall/wall.{f}.exr", bend(a, SOFT, 2 * p.SUPER)[y0:y1, x0:x1], "zip", origin=(x0, y0), full=(0, 0, p.W, p.H))


def main(work, demo, frames):
    for f in frames:
        rig, bare = bend(whole(work, f, "rig"), SOFT), bend(whole(work, f, "bare"), SOFT)
        write(f"{demo}/plate/boathouse.{f}.exr", grain(rig, f), "dwab:350", attributes={"FramesPerSecond": 24.0})
        differs = np.abs(rig - bare).max(-1) > 0.004
        # Outside this box bare frame and plate differ by grain alone; the whole of it is kept for three frames.
        x0, y0, x1, y1 = (0, 0, p.W, p.H) if f in WHOLE_FRAMES else box_of(differs, 24)
        write(f"{demo}/truth/bare/bare.{f}.exr", bare[y0:y1, x0:x1], "dwab:180", origin=(x0, y0), full=(0, 0, p.W, p.H))
        write(f"{demo}/truth/rig/rig.{f}.png", differs.astype(np.float32))
        if f == CLEAN_FRAME:
            write(f"{demo}/../tests/painted/slip_painted.{f}.exr", grain(bare, 5), "dwab:90")
        cg(work, demo, f)
    for f in WHOLE_FRAMES:
        wall(work, demo, f)
        m = bend(read(f"{work}/mark.{f}.exr")[..., :1])
        write(f"{demo}/truth/markers/markers.{f}.exr", m, "zip", names=["Y"])
    write(f"{demo}/backdrop/far_shore.exr", read(f"{work}/backdrop.exr")[..., :3], "dwab:60")
    for name in ("camera.csv", "lens.json", "points.ply"):
        with open(f"{work}/{name}") as i, open(f"{demo}/{name}", "w") as o:
            o.write(i.read())


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], [int(a) for a in sys.argv[3:]] or range(p.FIRST, p.LAST + 1))
